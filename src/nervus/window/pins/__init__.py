"""The station Pins: plugs, readings, meters, setting a sensor."""
