CREATE TABLE people (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    workshop_id BIGINT UNSIGNED NOT NULL,
    name VARCHAR(120) NOT NULL,
    sign_in VARCHAR(120) NOT NULL,
    password_hash VARCHAR(255) NULL,
    owner BOOLEAN NOT NULL DEFAULT FALSE,
    created_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
    UNIQUE KEY people_sign_in (sign_in),
    CONSTRAINT people_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
