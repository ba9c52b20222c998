CREATE TABLE lessons (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    number INT UNSIGNED NOT NULL,
    runs INT UNSIGNED NOT NULL,
    document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
    made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY lessons_number (workshop_id, number),
    CONSTRAINT lessons_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
