"""What a practised eye compares before a picture goes out."""
