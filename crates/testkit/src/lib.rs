//! Helpers of Wevrun's tests: random schemas and rows, a judge that shares no code with the core, temporary
//! projects, and the engine's own client. Never a dependency of the program.

pub mod certificates;
pub mod client;
pub mod collisions;
pub mod dice;
pub mod judge;
pub mod mariadb;
pub mod mariadb_history;
pub mod mariadb_schema;
pub mod mutate;
pub mod postgres;
pub mod postgres_collisions;
pub mod postgres_schema;
pub mod project;
pub mod render;
pub mod rows;
pub mod schema;
