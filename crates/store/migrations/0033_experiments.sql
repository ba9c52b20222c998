CREATE TABLE experiments (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    question VARCHAR(300) NOT NULL,
    first_id BIGINT UNSIGNED NOT NULL,
    second_id BIGINT UNSIGNED NOT NULL,
    cares_percent DOUBLE NOT NULL,
    closed VARCHAR(1000) NOT NULL DEFAULT '',
    made_by BIGINT UNSIGNED NOT NULL,
    made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY experiments_client_key (workshop_id, client_key),
    CONSTRAINT experiments_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT experiments_first FOREIGN KEY (first_id) REFERENCES revisions (id),
    CONSTRAINT experiments_second FOREIGN KEY (second_id) REFERENCES revisions (id),
    CONSTRAINT experiments_person FOREIGN KEY (made_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
