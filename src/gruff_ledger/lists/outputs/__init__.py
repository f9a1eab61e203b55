"""Outputs: where results go, whole or not at all."""
