ALTER TABLE runs
    ADD COLUMN winder_id BIGINT UNSIGNED NULL,
    ADD COLUMN lesson_id BIGINT UNSIGNED NULL,
    ADD COLUMN experience LONGTEXT NULL CHECK (JSON_VALID(experience)),
    ADD CONSTRAINT runs_winder FOREIGN KEY (winder_id) REFERENCES instruments (id),
    ADD CONSTRAINT runs_lesson FOREIGN KEY (lesson_id) REFERENCES lessons (id)
