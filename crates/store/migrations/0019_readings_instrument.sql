ALTER TABLE readings
    ADD COLUMN instrument_id BIGINT UNSIGNED NULL,
    ADD CONSTRAINT readings_instrument FOREIGN KEY (instrument_id) REFERENCES instruments (id)
