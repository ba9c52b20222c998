ALTER TABLE workshops CHANGE COLUMN learning calibration_enabled BOOLEAN NOT NULL DEFAULT TRUE
