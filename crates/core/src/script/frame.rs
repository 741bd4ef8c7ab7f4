//! Statements before and after the steps of a part. It is data of the engine, the same in every script: the text repeats it for the
//! engine's own client, `deploy` runs its own.

/// The statements around the steps, without semicolons.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Frame {
    /// Settings that must be made outside a transaction.
    pub before: Vec<String>,
    /// The statement that begins the transaction, if the part is one.
    pub begin: Option<String>,
    /// Settings and helpers, made before anything else of the part.
    pub settings: Vec<String>,
    /// Statements that clean up before the end.
    pub clean_up: Vec<String>,
    /// The statement that commits the transaction, if the part is one.
    pub commit: Option<String>,
    /// Settings that are taken back afterwards.
    pub after: Vec<String>,
}

impl Frame {
    /// Everything before the guards and steps, in order.
    pub fn opening(&self) -> Vec<&str> {
        self.before.iter().chain(&self.begin).chain(&self.settings).map(String::as_str).collect()
    }

    /// Everything after the steps and checks, in order.
    pub fn closing(&self) -> Vec<&str> {
        self.clean_up.iter().chain(&self.commit).chain(&self.after).map(String::as_str).collect()
    }
}
