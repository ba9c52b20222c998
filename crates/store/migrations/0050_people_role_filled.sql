UPDATE people SET role = CASE WHEN owner THEN 'owner' WHEN password_hash IS NULL THEN 'operator' ELSE 'designer' END
