CREATE TABLE sets (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    name VARCHAR(120) NOT NULL,
    made_by BIGINT UNSIGNED NOT NULL,
    made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    dissolved_at DATETIME(6) NULL,
    UNIQUE KEY sets_client_key (workshop_id, client_key),
    CONSTRAINT sets_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT sets_person FOREIGN KEY (made_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
