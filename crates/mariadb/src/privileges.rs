//! Owners and privileges: the definers of programs, and what is granted on objects.

use std::collections::BTreeMap;

use wevrun_core::compare::{Aspect, Fact, Privileges};
use wevrun_core::model::{Kind, Object};

use crate::{MariaDb, clause, grants};

impl Privileges for MariaDb {
    fn access_facts(&self, object: &Object) -> BTreeMap<Fact, String> {
        let definer = object.access.get(clause::DEFINER).filter(|definer| *definer != "current_user");
        let definer = definer.map(|definer| ((Aspect::Owner, String::new()), definer.clone()));
        definer.into_iter().chain(grants::facts(object)).collect()
    }

    fn aspect_of(&self, _: Kind, clause_name: &str) -> Aspect {
        match clause_name {
            "comment" => Aspect::Comment,
            "body" => Aspect::Body,
            "collate" => Aspect::Collation,
            "status" => Aspect::Enabled,
            "compressed" | "key_block_size" => Aspect::Storage,
            name if clause::OPTION.of("row_format").is(name) || clause::OPTION.of("key_block_size").is(name) => {
                Aspect::Storage
            }
            _ => Aspect::Definition,
        }
    }

    fn access_aspect(&self, clause_name: &str) -> Aspect {
        if clause::DEFINER.is(clause_name) { Aspect::Owner } else { Aspect::Privileges }
    }
}
