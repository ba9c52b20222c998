CREATE TABLE plan_baselines (
    workshop_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    document MEDIUMTEXT NOT NULL,
    CONSTRAINT plan_baselines_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
