CREATE TABLE parts (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    client_key CHAR(32) NOT NULL,
    kind VARCHAR(20) NOT NULL,
    name VARCHAR(120) NOT NULL,
    each_cost DOUBLE NULL,
    order_below INT UNSIGNED NULL,
    supplier VARCHAR(80) NOT NULL DEFAULT '',
    retired_at DATETIME(6) NULL,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY parts_client_key (workshop_id, client_key),
    UNIQUE KEY parts_name (workshop_id, name),
    CONSTRAINT parts_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
