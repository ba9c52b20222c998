CREATE TABLE plan_pins (
    workshop_id BIGINT UNSIGNED NOT NULL,
    job VARCHAR(60) NOT NULL,
    operation VARCHAR(120) NOT NULL,
    starts_at DATETIME NOT NULL,
    resources TEXT NOT NULL,
    pinned_by BIGINT UNSIGNED NOT NULL,
    pinned_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    PRIMARY KEY (workshop_id, job, operation),
    CONSTRAINT plan_pins_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT plan_pins_person FOREIGN KEY (pinned_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
