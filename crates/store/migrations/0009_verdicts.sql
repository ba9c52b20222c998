CREATE TABLE verdicts (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    run_id BIGINT UNSIGNED NOT NULL,
    level VARCHAR(20) NOT NULL,
    text VARCHAR(2000) NOT NULL,
    comparisons LONGTEXT NOT NULL CHECK (JSON_VALID(comparisons)),
    engine VARCHAR(40) NOT NULL,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    KEY verdicts_run (run_id),
    CONSTRAINT verdicts_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT verdicts_of_run FOREIGN KEY (run_id) REFERENCES runs (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
