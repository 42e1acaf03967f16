"""The parts around the view: path of steps, tools, Outline, Inspector, Fit strip."""
