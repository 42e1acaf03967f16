"""The Qt application: the only package that imports Qt or GL."""
