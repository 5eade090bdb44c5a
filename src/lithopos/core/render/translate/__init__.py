"""The scene's parts in the renderer package's terms, a file a part."""
