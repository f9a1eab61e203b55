"""When cells match that are not equal: the levels, and folding by them."""
