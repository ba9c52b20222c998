CREATE TABLE experiment_arms (
    experiment_id BIGINT UNSIGNED NOT NULL,
    place TINYINT UNSIGNED NOT NULL,
    revision_id BIGINT UNSIGNED NOT NULL,
    PRIMARY KEY (experiment_id, place),
    UNIQUE KEY experiment_arms_revision (experiment_id, revision_id),
    CONSTRAINT experiment_arms_experiment FOREIGN KEY (experiment_id) REFERENCES experiments (id),
    CONSTRAINT experiment_arms_of FOREIGN KEY (revision_id) REFERENCES revisions (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
