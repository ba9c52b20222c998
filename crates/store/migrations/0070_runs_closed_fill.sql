UPDATE runs SET closed_at = COALESCE((SELECT MAX(s.signed_at) FROM signatures s WHERE s.run_id = runs.id), created_at)
  WHERE traveller IS NULL OR JSON_LENGTH(traveller) = (SELECT COUNT(*) FROM signatures s WHERE s.run_id = runs.id)
