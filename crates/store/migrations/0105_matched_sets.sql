RENAME TABLE sets TO matched_sets
