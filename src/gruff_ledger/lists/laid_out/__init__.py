"""Lists laid out for people: columns of fixed width, tables in text and pages."""
