ALTER TABLE rewinds RENAME INDEX IF EXISTS pickup_references_client_key TO rewinds_client_key
