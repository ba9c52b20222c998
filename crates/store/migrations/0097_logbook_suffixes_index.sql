ALTER TABLE logbook ADD FULLTEXT KEY IF NOT EXISTS logbook_suffixes (suffixes)
