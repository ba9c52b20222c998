CREATE TABLE photos (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    subject VARCHAR(12) NOT NULL,
    subject_id BIGINT UNSIGNED NOT NULL,
    caption VARCHAR(200) NOT NULL,
    width INT UNSIGNED NOT NULL,
    height INT UNSIGNED NOT NULL,
    picture MEDIUMBLOB NOT NULL,
    thumbnail MEDIUMBLOB NOT NULL,
    taken_by BIGINT UNSIGNED NOT NULL,
    taken_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY photos_client_key (workshop_id, client_key),
    KEY photos_subject (workshop_id, subject, subject_id),
    CONSTRAINT photos_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT photos_person FOREIGN KEY (taken_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
