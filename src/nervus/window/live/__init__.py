"""What is connected: sources, live pictures, sound."""
