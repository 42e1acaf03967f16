"""Arabesque: light, smooth surfaces over 3D scans, kept within a set distance of the scan."""

__version__ = "0.1.0"
