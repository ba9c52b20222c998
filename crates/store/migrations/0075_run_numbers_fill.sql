INSERT IGNORE INTO run_numbers (workshop_id, last_number) SELECT workshop_id, MAX(number) FROM runs GROUP BY workshop_id
