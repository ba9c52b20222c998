ALTER TABLE runs
    CHANGE COLUMN lesson_id calibration_id BIGINT UNSIGNED NULL,
    ADD COLUMN calibration LONGTEXT NULL CHECK (JSON_VALID(calibration))
