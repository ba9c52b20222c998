ALTER TABLE verdicts
    ADD COLUMN causes LONGTEXT NULL CHECK (JSON_VALID(causes)),
    ADD COLUMN requested_by BIGINT UNSIGNED NULL,
    ADD CONSTRAINT verdicts_requested_by FOREIGN KEY (requested_by) REFERENCES people (id)
