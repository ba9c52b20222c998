CREATE TABLE stations (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    name VARCHAR(120) NOT NULL,
    code_hash BINARY(32) NULL,
    code_expires_at DATETIME(6) NULL,
    created_by BIGINT UNSIGNED NOT NULL,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    enrolled_at DATETIME(6) NULL,
    retired_at DATETIME(6) NULL,
    UNIQUE KEY stations_code (code_hash),
    CONSTRAINT stations_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT stations_creator FOREIGN KEY (created_by) REFERENCES people (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
