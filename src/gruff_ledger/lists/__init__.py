"""Addresses, and every reader and writer, one module a format."""
