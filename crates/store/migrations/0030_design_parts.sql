CREATE TABLE design_parts (
    workshop_id BIGINT UNSIGNED NOT NULL,
    design_id BIGINT UNSIGNED NOT NULL,
    part_id BIGINT UNSIGNED NOT NULL,
    count INT UNSIGNED NOT NULL,
    PRIMARY KEY (design_id, part_id),
    CONSTRAINT design_parts_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT design_parts_design FOREIGN KEY (design_id) REFERENCES designs (id),
    CONSTRAINT design_parts_part FOREIGN KEY (part_id) REFERENCES parts (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
