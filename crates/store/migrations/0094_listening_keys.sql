CREATE TABLE listening_keys (
    listening_id BIGINT UNSIGNED NOT NULL,
    person_id BIGINT UNSIGNED NOT NULL,
    seen_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    PRIMARY KEY (listening_id, person_id),
    CONSTRAINT listening_keys_listening FOREIGN KEY (listening_id) REFERENCES listenings (id),
    CONSTRAINT listening_keys_person FOREIGN KEY (person_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
