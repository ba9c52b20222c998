UPDATE sessions SET idle_s = 2592000, longest_s = 31536000 WHERE station_id IS NOT NULL
