"""Lists as JSON: an array of objects, or an object a line."""
