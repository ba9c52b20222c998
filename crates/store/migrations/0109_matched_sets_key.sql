ALTER TABLE matched_sets RENAME INDEX IF EXISTS sets_client_key TO matched_sets_client_key
