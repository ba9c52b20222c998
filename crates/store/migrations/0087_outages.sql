CREATE TABLE outages (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    resource VARCHAR(24) NOT NULL,
    reason VARCHAR(200) NOT NULL,
    from_at DATETIME NOT NULL,
    until_at DATETIME NULL,
    reported_by BIGINT UNSIGNED NOT NULL,
    reported_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    ended_at DATETIME(6) NULL,
    UNIQUE KEY outages_client_key (workshop_id, client_key),
    KEY outages_open (workshop_id, ended_at),
    CONSTRAINT outages_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT outages_person FOREIGN KEY (reported_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
