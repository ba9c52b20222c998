CREATE TABLE run_events (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    run_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    what VARCHAR(20) NOT NULL,
    at_turn INT UNSIGNED NOT NULL,
    words VARCHAR(500) NOT NULL DEFAULT '',
    by_id BIGINT UNSIGNED NOT NULL,
    happened_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY run_events_client_key (workshop_id, client_key),
    KEY run_events_run (run_id, id),
    CONSTRAINT run_events_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT run_events_of_run FOREIGN KEY (run_id) REFERENCES runs (id),
    CONSTRAINT run_events_person FOREIGN KEY (by_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
