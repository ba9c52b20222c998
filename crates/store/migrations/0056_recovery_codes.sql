CREATE TABLE recovery_codes (
    code_hash BINARY(32) NOT NULL PRIMARY KEY,
    person_id BIGINT UNSIGNED NOT NULL,
    used_at DATETIME(6) NULL,
    KEY recovery_codes_person (person_id),
    CONSTRAINT recovery_codes_of FOREIGN KEY (person_id) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
