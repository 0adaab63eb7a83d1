"""The window: everything that knows Qt. It shows what the core found and computes nothing itself."""
