"""What tests and benchmarks share: truth to measure against, a running application, a browser on it."""
