UPDATE runs SET calibration = experience
