ALTER TABLE designs
    CHANGE COLUMN learning calibration_policy VARCHAR(10) NOT NULL DEFAULT 'on',
    CHANGE COLUMN lesson_id calibration_id BIGINT UNSIGNED NULL
