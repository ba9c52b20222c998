CREATE TABLE order_runs (
    run_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    order_id BIGINT UNSIGNED NOT NULL,
    line INT UNSIGNED NOT NULL,
    CONSTRAINT order_runs_run FOREIGN KEY (run_id) REFERENCES runs (id),
    CONSTRAINT order_runs_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT order_runs_order FOREIGN KEY (order_id) REFERENCES orders (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
