"""What left its course and came back, proposed generously: healthy recordings have many."""
