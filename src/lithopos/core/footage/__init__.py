"""Footage from a camera that stands still: takes, clean plates, who is in front, the model over time, films."""
