RENAME TABLE pickup_references TO rewinds
