"""Side-by-side measurements: ./start bench prints the table."""
