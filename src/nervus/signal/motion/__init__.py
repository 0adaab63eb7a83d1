"""Where the shaft was: courses, how two tracks belong together, travel and its passes."""
