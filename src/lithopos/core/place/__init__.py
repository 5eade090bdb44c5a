"""The photographed place as simple geometry that takes shadow and reflection."""
