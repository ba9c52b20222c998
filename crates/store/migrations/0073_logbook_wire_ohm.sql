ALTER TABLE logbook ADD COLUMN wire_ohm_per_m DOUBLE NULL
