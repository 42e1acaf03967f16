"""Mending scans: cut, mirror, fill, calm, tidy, lighten, remesh."""
