RENAME TABLE set_runs TO matched_set_runs
