CREATE TABLE passkeys (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    person_id BIGINT UNSIGNED NOT NULL,
    credential_id VARBINARY(1023) NOT NULL,
    name VARCHAR(60) NOT NULL,
    credential TEXT NOT NULL,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    used_at DATETIME(6) NULL,
    UNIQUE KEY passkeys_credential (credential_id),
    FOREIGN KEY (person_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
