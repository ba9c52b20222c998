ALTER TABLE experiments
    DROP FOREIGN KEY IF EXISTS experiments_first,
    DROP FOREIGN KEY IF EXISTS experiments_second,
    DROP COLUMN IF EXISTS first_id,
    DROP COLUMN IF EXISTS second_id
