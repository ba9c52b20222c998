CREATE TABLE sessions (
    key_hash BINARY(32) NOT NULL PRIMARY KEY,
    state TEXT NOT NULL,
    expires_at DATETIME(6) NOT NULL,
    KEY sessions_expires (expires_at)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
