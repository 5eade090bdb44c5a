"""What things are made of: surfaces by kind, textures of a real size, prints."""
