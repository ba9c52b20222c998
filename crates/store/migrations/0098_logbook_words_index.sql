ALTER TABLE logbook DROP KEY IF EXISTS logbook_words
