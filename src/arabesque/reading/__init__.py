"""Reading the form of a scan: symmetry, placing, true shapes, regions, feature lines."""
