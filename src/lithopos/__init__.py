"""Lithopos: stand a 3D model in a photograph so that a client believes it."""

__version__ = "0.1.0"
