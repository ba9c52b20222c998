CREATE TABLE instrument_networks (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    network VARCHAR(80) NOT NULL,
    added_by BIGINT UNSIGNED NOT NULL,
    added_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY instrument_networks_network (workshop_id, network),
    CONSTRAINT instrument_networks_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT instrument_networks_person FOREIGN KEY (added_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
