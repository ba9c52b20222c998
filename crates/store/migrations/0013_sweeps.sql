CREATE TABLE sweeps (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    revision_id BIGINT UNSIGNED NOT NULL,
    run_id BIGINT UNSIGNED NULL,
    label VARCHAR(80) NOT NULL,
    points LONGTEXT NOT NULL CHECK (JSON_VALID(points)),
    taken_by BIGINT UNSIGNED NOT NULL,
    taken_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY sweeps_client_key (workshop_id, client_key),
    CONSTRAINT sweeps_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT sweeps_revision FOREIGN KEY (revision_id) REFERENCES revisions (id),
    CONSTRAINT sweeps_run FOREIGN KEY (run_id) REFERENCES runs (id),
    CONSTRAINT sweeps_person FOREIGN KEY (taken_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
