"""Tests: they mirror the package, and drive the built program on real files."""
