CREATE TABLE password_links (
    token_hash BINARY(32) NOT NULL PRIMARY KEY,
    person_id BIGINT UNSIGNED NOT NULL,
    created_by BIGINT UNSIGNED NULL,
    expires_at DATETIME(6) NOT NULL,
    UNIQUE KEY password_links_person (person_id),
    CONSTRAINT password_links_person FOREIGN KEY (person_id) REFERENCES people (id),
    CONSTRAINT password_links_creator FOREIGN KEY (created_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
