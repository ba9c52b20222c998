CREATE TABLE part_moves (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    part_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    by_count INT NOT NULL,
    why VARCHAR(200) NOT NULL,
    run_id BIGINT UNSIGNED NULL,
    by_id BIGINT UNSIGNED NOT NULL,
    moved_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY part_moves_client_key (workshop_id, client_key, part_id),
    KEY part_moves_part (part_id, id),
    CONSTRAINT part_moves_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT part_moves_of FOREIGN KEY (part_id) REFERENCES parts (id),
    CONSTRAINT part_moves_run FOREIGN KEY (run_id) REFERENCES runs (id),
    CONSTRAINT part_moves_person FOREIGN KEY (by_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
