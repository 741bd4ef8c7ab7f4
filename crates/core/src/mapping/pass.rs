//! Want renamed in one way: each schema has one name.

use std::collections::BTreeMap;

use super::mapper::{Doubt, Mapper, Renamed};
use super::near::Near;
use super::schema_name;
use crate::model::{Kind, Model, Name, NameParts, Object, ObjectKey, QualifiedName};

/// The names to change.
pub struct Pass<'p> {
    /// The engine.
    pub dialect: &'static dyn Mapper,
    /// The model with its own names.
    pub want: &'p Model,
    /// Objects with other names of their own; in want's schema, if the rule has none.
    pub objects: &'p BTreeMap<ObjectKey, QualifiedName>,
    /// Columns, by the table.
    pub columns: &'p BTreeMap<QualifiedName, Vec<(Name, Name)>>,
}

/// The mapped model, renames and doubts.
pub struct PassResult {
    /// The model.
    pub model: Model,
    /// The renamed objects.
    pub renamed: Vec<(ObjectKey, ObjectKey)>,
    /// Words that were left in texts.
    pub doubts: Vec<Doubt>,
}

impl Pass<'_> {
    /// Renames everything, with these names of schemas.
    pub fn run(&self, schemas: &BTreeMap<&str, &str>) -> Result<PassResult, String> {
        let dialect = self.dialect;
        let mut model = self.want.clone();
        self.rename_all(&mut model)?;
        let schemas: BTreeMap<&str, &str> =
            schemas.iter().map(|(own, to)| (*own, *to)).filter(|(own, to)| own != to).collect();
        self.rename_schemas(&mut model, &schemas);
        let objects: BTreeMap<ObjectKey, QualifiedName> = self
            .want
            .objects()
            .filter_map(|object| {
                let key = object.key();
                let to = self.final_name(&key, &schemas)?;
                Some((key, to))
            })
            .collect();
        self.follow_former_names(&mut model, &objects);
        let owned = schemas.iter().map(|(own, to)| ((*own).to_owned(), (*to).to_owned())).collect();
        let names = Renamed { objects: &objects, columns: self.columns, schemas: owned };
        let mut near = Near::of(&model);
        for (key, to) in dialect.made_up(self.want, &model, &names) {
            near.rename(dialect, &mut model, &key, &to);
        }
        let doubts = dialect.follow(self.want, &mut model, &names);
        let renamed = objects.into_iter().map(|(key, to)| (key.clone(), ObjectKey::new(key.kind, to))).collect();
        Ok(PassResult { model, renamed, doubts })
    }

    /// The final name of an object; none if nothing renames it.
    fn final_name(&self, key: &ObjectKey, schemas: &BTreeMap<&str, &str>) -> Option<QualifiedName> {
        let in_schema = |name: &QualifiedName| {
            let mut parts = name.parts().clone();
            parts.schema = parts.schema.map(|own| schemas.get(own.as_str()).map_or(own.clone(), |to| (*to).into()));
            self.dialect.name_of(key.kind, parts)
        };
        match self.objects.get(key) {
            // The rule has the schema.
            Some(to) if to.schema() != key.name.schema() => Some(to.clone()),
            Some(to) => Some(in_schema(to)),
            None if key.kind == Kind::Schema => Some(schema_name(self.dialect, schemas.get(key.name.identifier())?)),
            None => key.name.schema().filter(|own| schemas.contains_key(own)).map(|_| in_schema(&key.name)),
        }
    }

    /// Columns, and objects by themselves.
    fn rename_all(&self, model: &mut Model) -> Result<(), String> {
        let names = Renamed { objects: self.objects, columns: self.columns, schemas: BTreeMap::new() };
        if self.dialect.rename_all(model, &names)? {
            return Ok(());
        }
        for (table, columns) in self.columns {
            columns.iter().for_each(|(from, to)| self.dialect.rename_column(model, table, from, to));
        }
        let mut near = Near::of(model);
        self.rename_objects(&mut near, model)
    }

    fn rename_objects(&self, near: &mut Near, model: &mut Model) -> Result<(), String> {
        let mut moves: Vec<(ObjectKey, QualifiedName)> =
            self.objects.iter().map(|(key, to)| (key.clone(), to.clone())).collect();
        // By another name first, where one is taken that becomes free.
        if moves.iter().any(|(key, to)| self.objects.contains_key(&ObjectKey::new(key.kind, to.clone()))) {
            let aside = |(number, (key, _)): (usize, &(ObjectKey, QualifiedName))| {
                let parts = NameParts { identifier: aside(number).into(), ..key.name.parts().clone() };
                (key.clone(), self.dialect.name_of(key.kind, parts))
            };
            let aside: Vec<(ObjectKey, QualifiedName)> = moves.iter().enumerate().map(aside).collect();
            rename_all(self.dialect, near, model, &aside)?;
            moves.iter_mut().zip(aside).for_each(|((key, _), (_, aside))| key.name = aside);
        }
        rename_all(self.dialect, near, model, &moves)
    }

    fn rename_schemas(&self, model: &mut Model, schemas: &BTreeMap<&str, &str>) {
        let name = |schema: &str| schema_name(self.dialect, schema);
        let is_taken = |to: &str| schemas.contains_key(to);
        let mut rename = |from: &QualifiedName, to: &QualifiedName| {
            self.dialect.rename_object(model, &ObjectKey::new(Kind::Schema, from.clone()), to);
        };
        for (number, (own, to)) in schemas.iter().enumerate() {
            rename(&name(own), &name(&if is_taken(to) { aside(number) } else { (*to).to_owned() }));
        }
        for (number, (_, to)) in schemas.iter().enumerate().filter(|(_, (_, to))| is_taken(to)) {
            rename(&name(&aside(number)), &name(to));
        }
    }

    /// A former name is one of want's too.
    fn follow_former_names(&self, model: &mut Model, objects: &BTreeMap<ObjectKey, QualifiedName>) {
        let before: BTreeMap<ObjectKey, &ObjectKey> =
            objects.iter().map(|(key, to)| (ObjectKey::new(key.kind, to.clone()), key)).collect();
        for object in model.objects_mut() {
            let key = object.key();
            let (Some(former), Some(before)) = (&mut object.formerly.table, before.get(&key)) else { continue };
            if former.schema().is_none() || former.schema() == before.name.schema() {
                let parts = NameParts { schema: key.name.schema().map(Into::into), ..former.parts().clone() };
                *former = self.dialect.name_of(key.kind, parts);
            }
        }
    }
}

/// A name for the time in between. It needs no quotes on any engine.
fn aside(number: usize) -> String {
    format!("wevrun_map_{number}")
}

/// Renames objects one after the other; fails where a name is taken.
fn rename_all(
    dialect: &dyn Mapper,
    near: &mut Near,
    model: &mut Model,
    moves: &[(ObjectKey, QualifiedName)],
) -> Result<(), String> {
    let mut keys: Vec<ObjectKey> = moves.iter().map(|(key, _)| key.clone()).collect();
    for index in 0..moves.len() {
        let (key, to) = (keys[index].clone(), &moves[index].1);
        // The types of its arguments, or its table, may have got another name meanwhile.
        let NameParts { signature, owner, .. } = key.name.parts().clone();
        let to = dialect.name_of(key.kind, NameParts { signature, owner, ..to.parts().clone() });
        if key.name == to {
            continue;
        }
        let shares = |other: &&Object| dialect.share_names(key.kind, other.definition.kind());
        if let Some(other) = model.named(&to).find(shares) {
            let kind = other.definition.kind().title();
            return Err(format!("{key} can't be called {to}: want has a {kind} of this name too"));
        }
        near.rename(dialect, model, &key, &to);
        for other in &mut keys[index + 1..] {
            if let Some(moved) = dialect.renamed_with(other, key.kind, &key.name, &to) {
                *other = moved;
            }
        }
    }
    Ok(())
}
