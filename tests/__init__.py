"""Tests, one module for each module of the program; run by ./check."""
