ALTER TABLE photos
    ADD COLUMN removed_at DATETIME(6) NULL,
    ADD KEY photos_removed (removed_at)
