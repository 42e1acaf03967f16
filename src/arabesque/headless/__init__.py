"""The headless commands, one module each: ``WORD``, ``HELP``, ``arguments`` and ``run``."""

from arabesque.headless import (
    body,
    cage_convert,
    cage_fit,
    cage_improve,
    check_body,
    compare,
    joins,
    layout,
    network,
    patch,
    prepare,
    run_script,
    section,
    simulate,
    suggest,
)

COMMANDS = (
    simulate,
    patch,
    suggest,
    section,
    network,
    layout,
    cage_fit,
    cage_improve,
    cage_convert,
    prepare,
    compare,
    joins,
    body,
    check_body,
    run_script,
)
