"""The queue and its workers."""
