CREATE TABLE calendar_feeds (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    person_id BIGINT UNSIGNED NOT NULL,
    is_whole_shop BOOLEAN NOT NULL,
    secret_hash BINARY(32) NOT NULL,
    made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    revoked_at DATETIME(6) NULL,
    UNIQUE KEY calendar_feeds_secret (secret_hash),
    CONSTRAINT calendar_feeds_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT calendar_feeds_person FOREIGN KEY (person_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
