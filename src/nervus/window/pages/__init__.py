"""What each station shows, and the home view."""
