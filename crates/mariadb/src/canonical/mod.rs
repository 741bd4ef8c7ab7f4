//! One spelling for what a person writes and for what the server makes of it.

pub mod constants;
pub mod defaults;
pub mod expression;
pub mod functions;
pub mod query;
pub mod tree;
pub mod types;
