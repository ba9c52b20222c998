CREATE TABLE set_runs (
    run_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    set_id BIGINT UNSIGNED NOT NULL,
    role VARCHAR(60) NOT NULL,
    KEY set_runs_set (set_id),
    CONSTRAINT set_runs_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT set_runs_set FOREIGN KEY (set_id) REFERENCES sets (id),
    CONSTRAINT set_runs_run FOREIGN KEY (run_id) REFERENCES runs (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
