"""What makes a render look photographed: grain, sharpness, haze, grade; measured on the photograph, then given."""
