CREATE TABLE instruments (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    name VARCHAR(80) NOT NULL,
    address VARCHAR(120) NOT NULL,
    resolution DOUBLE NULL,
    accuracy DOUBLE NULL,
    test_hz DOUBLE NULL,
    due DATE NULL,
    simulated BOOLEAN NOT NULL DEFAULT FALSE,
    retired_at DATETIME(6) NULL,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY instruments_client_key (workshop_id, client_key),
    UNIQUE KEY instruments_name (workshop_id, name),
    CONSTRAINT instruments_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
