"""What leaves the program: flat pictures, layers, passes; named so that nothing is overwritten."""
