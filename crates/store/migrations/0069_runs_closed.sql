ALTER TABLE runs ADD COLUMN closed_at DATETIME(6) NULL, ADD KEY runs_open (workshop_id, closed_at)
