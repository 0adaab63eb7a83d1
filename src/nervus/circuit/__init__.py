"""The sensor's circuit as a network of resistors: what every healthy or broken state would read."""
