//! Transmit power, sensitivity and antenna gain by system and class of device.

use super::system::System;
use crate::units::{Db, Dbm};

/// The class of a radio, as far as its link budget goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Class {
    /// The hub, coordinator or controller.
    Hub,
    /// A device on the mains.
    Mains,
    /// A device on a battery.
    Battery,
}

/// What one radio brings to a link budget.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RadioProfile {
    /// Transmit power at the antenna's foot.
    pub tx: Dbm,
    /// The level at which 1 % of the frames are lost.
    pub sensitivity: Dbm,
    /// Antenna gain over isotropic, in its usual place.
    pub antenna: Db,
}

const fn radio(tx: f64, sensitivity: f64, antenna: f64) -> RadioProfile {
    RadioProfile { tx: Dbm::new(tx), sensitivity: Dbm::new(sensitivity), antenna: Db::new(antenna) }
}

/// The planning profile of a radio; a data sheet overrules it. All *planning values*.
#[rustfmt::skip]
pub fn planning_profile(system: System, class: Class) -> RadioProfile {
    match (system, class) {
        (System::Zigbee, Class::Hub)     => radio(10.0, -99.0, 1.0),
        (System::Zigbee, Class::Mains)   => radio(8.0, -97.0, 0.0),
        (System::Zigbee, Class::Battery) => radio(4.0, -95.0, -2.0),
        (System::ZWave, Class::Hub)      => radio(4.0, -99.0, 0.0),
        // Sub-GHz antennas that fit a wall box are short for their wavelength.
        (System::ZWave, Class::Mains)    => radio(0.0, -97.0, -2.0),
        (System::ZWave, Class::Battery)  => radio(0.0, -95.0, -4.0),
        (System::Star, Class::Hub)       => radio(5.0, -107.0, -1.0),
        (System::Star, Class::Mains)     => radio(3.0, -105.0, -4.0),
        (System::Star, Class::Battery)   => radio(0.0, -103.0, -6.0),
    }
}

/// Body loss of a device held in a hand; *planning value*.
pub fn hand_loss(system: System) -> Db {
    match system {
        System::Zigbee => Db::new(6.0),
        System::ZWave | System::Star => Db::new(4.0),
    }
}
