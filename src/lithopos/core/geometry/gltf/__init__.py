"""glTF 2.0 and GLB, read and written by the specification (Khronos) and its ratified extensions."""
