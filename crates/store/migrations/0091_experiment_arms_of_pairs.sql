INSERT IGNORE INTO experiment_arms (experiment_id, place, revision_id)
    SELECT id, 0, first_id FROM experiments UNION ALL SELECT id, 1, second_id FROM experiments
