ALTER TABLE designs
    ADD COLUMN learning VARCHAR(10) NOT NULL DEFAULT 'on',
    ADD COLUMN lesson_id BIGINT UNSIGNED NULL,
    ADD CONSTRAINT designs_lesson FOREIGN KEY (lesson_id) REFERENCES lessons (id)
