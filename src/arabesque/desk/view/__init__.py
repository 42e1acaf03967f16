"""The 3D view: camera, picking, shaders and drawables."""
