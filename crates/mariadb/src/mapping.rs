//! Objects of MariaDB under other names.

use wevrun_core::mapping::Mapper;

use crate::MariaDb;

impl Mapper for MariaDb {}
