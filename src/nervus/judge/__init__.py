"""From what was found to who is suspected, with every step kept. `analyse.analyse` is the door."""
