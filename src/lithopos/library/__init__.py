"""What is kept: projects, shots, revisions, files by content, renders."""
