CREATE TABLE pickup_set_runs (
    run_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    pickup_set_id BIGINT UNSIGNED NOT NULL,
    pickup VARCHAR(40) NOT NULL,
    KEY pickup_set_runs_set (pickup_set_id),
    CONSTRAINT pickup_set_runs_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT pickup_set_runs_set FOREIGN KEY (pickup_set_id) REFERENCES pickup_sets (id),
    CONSTRAINT pickup_set_runs_run FOREIGN KEY (run_id) REFERENCES runs (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
