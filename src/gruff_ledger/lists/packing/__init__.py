"""Lists that are packed: as a stream, or as files of an archive."""
