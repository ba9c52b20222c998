RENAME TABLE lessons TO calibrations
