"""What is told: findings, one for each cause, and what could not have shown."""
