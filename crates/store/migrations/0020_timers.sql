CREATE TABLE timers (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    run_id BIGINT UNSIGNED NULL,
    label VARCHAR(80) NOT NULL,
    minutes INT UNSIGNED NOT NULL,
    started_by BIGINT UNSIGNED NOT NULL,
    started_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    ended_at DATETIME(6) NULL,
    UNIQUE KEY timers_client_key (workshop_id, client_key),
    KEY timers_running (workshop_id, ended_at),
    CONSTRAINT timers_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT timers_run FOREIGN KEY (run_id) REFERENCES runs (id),
    CONSTRAINT timers_person FOREIGN KEY (started_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
