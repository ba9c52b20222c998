ALTER TABLE runs DROP COLUMN experience
