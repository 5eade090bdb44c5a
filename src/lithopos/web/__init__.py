"""The server: JSON API and the built front end."""
