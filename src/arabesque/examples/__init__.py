"""Jobs to begin with: copy one, change the values at its head, run it with ``./start run`` or ``./start batch``."""
