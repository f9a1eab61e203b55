"""Addresses, and every reader and writer: a room a family of formats."""
