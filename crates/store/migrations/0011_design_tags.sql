CREATE TABLE design_tags (
    workshop_id BIGINT UNSIGNED NOT NULL,
    design_id BIGINT UNSIGNED NOT NULL,
    tag VARCHAR(40) NOT NULL,
    PRIMARY KEY (design_id, tag),
    KEY design_tags_tag (workshop_id, tag),
    CONSTRAINT design_tags_workshop FOREIGN KEY (workshop_id) REFERENCES workshops (id),
    CONSTRAINT design_tags_design FOREIGN KEY (design_id) REFERENCES designs (id)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci
