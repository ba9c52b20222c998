CREATE TABLE spool_checks (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    spool_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    at_m DOUBLE NULL,
    overall_mm DOUBLE NULL,
    ohm_per_m DOUBLE NULL,
    at_c DOUBLE NULL,
    gross_g DOUBLE NULL,
    by_id BIGINT UNSIGNED NOT NULL,
    taken_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY spool_checks_client_key (workshop_id, client_key),
    KEY spool_checks_spool (spool_id, id),
    CONSTRAINT spool_checks_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT spool_checks_of FOREIGN KEY (spool_id) REFERENCES spools (id),
    CONSTRAINT spool_checks_person FOREIGN KEY (by_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
