"""What the two commands, ./start and ./check, are made of."""
