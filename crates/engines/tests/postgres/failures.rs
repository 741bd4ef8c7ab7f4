//! What goes wrong, and what is said then.
