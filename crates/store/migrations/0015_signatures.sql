CREATE TABLE signatures (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    run_id BIGINT UNSIGNED NOT NULL,
    operation VARCHAR(40) NOT NULL,
    waived VARCHAR(500) NOT NULL DEFAULT '',
    by_id BIGINT UNSIGNED NOT NULL,
    signed_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY signatures_operation (run_id, operation),
    CONSTRAINT signatures_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT signatures_run FOREIGN KEY (run_id) REFERENCES runs (id),
    CONSTRAINT signatures_person FOREIGN KEY (by_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
