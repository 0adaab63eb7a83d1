"""A plug's pins: potentials from readings, what each pin is; and how a sensor is set."""
