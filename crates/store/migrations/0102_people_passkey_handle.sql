ALTER TABLE people ADD COLUMN passkey_handle BINARY(16) NULL, ADD UNIQUE KEY people_passkey_handle (passkey_handle)
