"""What happens along time."""
