CREATE TABLE run_coils (
    run_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    whole_id BIGINT UNSIGNED NOT NULL,
    KEY run_coils_whole (whole_id),
    CONSTRAINT run_coils_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT run_coils_run FOREIGN KEY (run_id) REFERENCES runs (id),
    CONSTRAINT run_coils_whole FOREIGN KEY (whole_id) REFERENCES runs (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
