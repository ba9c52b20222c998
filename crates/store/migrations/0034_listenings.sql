CREATE TABLE listenings (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    experiment_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    samples LONGTEXT NOT NULL CHECK (JSON_VALID(samples)),
    scores LONGTEXT NULL CHECK (JSON_VALID(scores)),
    by_id BIGINT UNSIGNED NOT NULL,
    begun_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    scored_at DATETIME(6) NULL,
    UNIQUE KEY listenings_client_key (workshop_id, client_key),
    KEY listenings_experiment (experiment_id),
    CONSTRAINT listenings_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT listenings_of FOREIGN KEY (experiment_id) REFERENCES experiments (id),
    CONSTRAINT listenings_person FOREIGN KEY (by_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
