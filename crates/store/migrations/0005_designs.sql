CREATE TABLE designs (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    created_by BIGINT UNSIGNED NOT NULL,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    KEY designs_workshop (workshop_id),
    CONSTRAINT designs_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT designs_person FOREIGN KEY (created_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
