CREATE TABLE run_numbers (
    workshop_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    last_number INT UNSIGNED NOT NULL,
    CONSTRAINT run_numbers_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
