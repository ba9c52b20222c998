ALTER TABLE sessions
    ADD COLUMN station_id BIGINT UNSIGNED NULL,
    ADD KEY sessions_station (station_id)
