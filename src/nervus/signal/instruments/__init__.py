"""What each channel is and can show: its samples, noise, step, clock, supply, and the key."""
