ALTER TABLE instruments ADD COLUMN counts_run_id BIGINT UNSIGNED NULL,
  ADD CONSTRAINT instruments_counts_run FOREIGN KEY (counts_run_id) REFERENCES runs (id)
