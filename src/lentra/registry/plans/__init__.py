"""Plans: reading them, working out what they come to, and the difference to what is there."""
