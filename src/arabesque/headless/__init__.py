"""The headless commands, one module each: ``WORD``, ``HELP``, ``arguments`` and ``run``."""

from arabesque.headless import compare, network, patch, prepare, run_script, section, simulate, suggest

COMMANDS = (simulate, patch, suggest, section, network, prepare, compare, run_script)
