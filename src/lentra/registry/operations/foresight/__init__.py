"""What is done about alerts: they are acknowledged, muted, and taken up again."""
