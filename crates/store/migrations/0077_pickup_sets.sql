CREATE TABLE pickup_sets (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    name VARCHAR(120) NOT NULL,
    document MEDIUMTEXT NOT NULL,
    trouble VARCHAR(400) NOT NULL,
    version INT UNSIGNED NOT NULL DEFAULT 1,
    made_by BIGINT UNSIGNED NOT NULL,
    made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    changed_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    archived_at DATETIME(6) NULL,
    UNIQUE KEY pickup_sets_client_key (workshop_id, client_key),
    CONSTRAINT pickup_sets_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT pickup_sets_person FOREIGN KEY (made_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
