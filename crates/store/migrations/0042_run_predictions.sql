CREATE TABLE run_predictions (
    run_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    engine VARCHAR(20) NOT NULL,
    document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
    CONSTRAINT run_predictions_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT run_predictions_run FOREIGN KEY (run_id) REFERENCES runs (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
