CREATE TABLE orders (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    number INT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    customer VARCHAR(120) NOT NULL,
    promised_on DATE NULL,
    state VARCHAR(12) NOT NULL,
    document MEDIUMTEXT NOT NULL,
    version INT UNSIGNED NOT NULL DEFAULT 1,
    made_by BIGINT UNSIGNED NOT NULL,
    made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    changed_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    gone_at DATETIME(6) NULL,
    UNIQUE KEY orders_number (workshop_id, number),
    UNIQUE KEY orders_client_key (workshop_id, client_key),
    CONSTRAINT orders_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT orders_person FOREIGN KEY (made_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
