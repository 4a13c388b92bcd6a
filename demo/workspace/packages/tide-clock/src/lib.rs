//! The tide at the Fenmarsh bar, as one hand of a clock.

/// Hours between two high waters: half a lunar day.
pub const ROUND: f64 = 12.4206012;

/// A high water at the bar, in seconds since 1970.
const HIGH_WATER: f64 = 1_772_440_800.0;

/// The hand of the clock.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TideClock {
    /// Hours since the last high water, below [`ROUND`].
    pub hours: f64,
}

/// Where the hand stands at a time, in seconds since 1970.
pub fn at(seconds: f64) -> TideClock {
    TideClock {
        hours: ((seconds - HIGH_WATER) / 3600.0) % ROUND,
    }
}

impl TideClock {
    /// Whether the water falls.
    pub fn is_ebb(&self) -> bool {
        self.hours < ROUND / 2.0
    }

    /// What a person reads off the clock.
    pub fn words(&self) -> String {
        let way = if self.is_ebb() { "ebb" } else { "flood" };
        let since = if self.is_ebb() { self.hours } else { self.hours - ROUND / 2.0 };
        format!("{way}, hour {}", since as u32 + 1)
    }
}
