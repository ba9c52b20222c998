CREATE TABLE operation_starts (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    run_id BIGINT UNSIGNED NOT NULL,
    operation VARCHAR(120) NOT NULL,
    started_by BIGINT UNSIGNED NOT NULL,
    started_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    ended_at DATETIME(6) NULL,
    KEY operation_starts_running (workshop_id, ended_at),
    KEY operation_starts_of_run (run_id, operation),
    CONSTRAINT operation_starts_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT operation_starts_run_id FOREIGN KEY (run_id) REFERENCES runs (id),
    CONSTRAINT operation_starts_person FOREIGN KEY (started_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
