//! Objects of MariaDB under other names.

use wevrun_core::mapping::{Doubt, Mapper, Renamed};
use wevrun_core::model::Model;

use crate::{MariaDb, follow};

impl Mapper for MariaDb {
    fn follow(&self, before: &Model, model: &mut Model, renamed: &Renamed<'_>) -> Vec<Doubt> {
        follow::follow(before, model, renamed)
    }
}
