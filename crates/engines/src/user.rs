//! The user of this process.

/// The name of the user that runs the program; `unknown` if the system does not tell it.
pub fn user() -> String {
    whoami::username().unwrap_or_else(|_| "unknown".to_owned())
}
