//! Decisions that have names: the outcome is a matter of the seed, and for a few of them of the side too.

use std::hash::{DefaultHasher, Hash, Hasher};

/// Decides by name.
pub struct Dice {
    /// The seed of all sides.
    pub seed: u64,
    /// Which side.
    pub side: u64,
    /// One decision in so many is the side's own.
    pub change: u64,
}

impl Dice {
    /// The number behind a decision.
    pub fn number(&self, parts: (&str, u64, u64)) -> u64 {
        let mut hasher = DefaultHasher::new();
        parts.hash(&mut hasher);
        hasher.finish()
    }

    /// One of so many sides of a die.
    pub fn pick(&self, name: &str, sides: u64) -> u64 {
        let own = self.number((name, self.seed, self.side.wrapping_mul(7919) + 1));
        if self.side > 0 && own.is_multiple_of(self.change) {
            (own / self.change) % sides
        } else {
            self.number((name, self.seed, 0)) % sides
        }
    }

    /// True in so many of ten.
    pub fn yes(&self, name: &str, of_ten: u64) -> bool {
        self.pick(name, 10) < of_ten
    }

    /// One of these.
    pub fn one<'o>(&self, name: &str, options: &[&'o str]) -> &'o str {
        options[self.pick(name, options.len() as u64) as usize]
    }
}
