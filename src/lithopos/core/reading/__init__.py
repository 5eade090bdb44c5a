"""Reading what users hand in: always in a child process with limits of its own."""
