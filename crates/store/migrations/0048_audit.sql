CREATE TABLE audit (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    person_id BIGINT UNSIGNED NOT NULL,
    at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    action VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    object VARCHAR(160) NOT NULL,
    before_text TEXT NULL,
    after_text TEXT NULL,
    KEY audit_newest (workshop_id, id),
    KEY audit_by_action (workshop_id, action, id),
    KEY audit_by_person (workshop_id, person_id, id),
    CONSTRAINT audit_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT audit_person FOREIGN KEY (person_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
