CREATE TABLE travellers (
    workshop_id BIGINT UNSIGNED NOT NULL,
    kind VARCHAR(40) NOT NULL,
    document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
    changed_by BIGINT UNSIGNED NOT NULL,
    changed_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    PRIMARY KEY (workshop_id, kind),
    CONSTRAINT travellers_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT travellers_person FOREIGN KEY (changed_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
