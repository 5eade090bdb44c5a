"""Readers: a file a format or family of formats, each from a path to a `Model`; `table` knows them all."""
