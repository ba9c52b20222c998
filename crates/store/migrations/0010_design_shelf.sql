ALTER TABLE designs
    ADD COLUMN archived_at DATETIME(6) NULL
