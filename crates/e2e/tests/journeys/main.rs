//! Whole journeys of a person through the real interface.

mod first_coil;
