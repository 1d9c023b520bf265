//! Radios: systems and their bands, regions, transmit power and sensitivity by class, mounting.

pub mod channels;
pub mod coexistence;
pub mod modulation;
pub mod mounting;
pub mod profile;
pub mod region;
pub mod system;
