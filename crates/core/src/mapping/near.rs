//! What an object has to do with, so that a rename in a large model costs little.

use std::collections::{BTreeSet, HashMap, HashSet};

use super::Mapper;
use crate::model::{Model, Object, ObjectKey, QualifiedName, texts_of};

/// The objects of a model, by the words in their definitions.
pub struct Near {
    by_word: HashMap<String, Vec<ObjectKey>>,
    known: HashSet<ObjectKey>,
}

/// The words of a text: what is between characters that no plain name has.
fn words(text: &str) -> impl Iterator<Item = String> {
    let is_word = |ch: char| ch.is_alphanumeric() || ch == '_' || ch == '$' || !ch.is_ascii();
    text.split(move |ch| !is_word(ch)).filter(|word| !word.is_empty()).map(str::to_lowercase)
}

impl Near {
    /// Of all objects of a model.
    pub fn of(model: &Model) -> Near {
        let mut near = Near { by_word: HashMap::new(), known: HashSet::new() };
        model.objects().for_each(|object| near.add(object));
        near
    }

    fn add(&mut self, object: &Object) {
        let key = object.key();
        if !self.known.insert(key.clone()) {
            return;
        }
        let mut texts = texts_of(&object.definition);
        texts.push(object.name.canonical().to_owned());
        texts.push(object.text.clone());
        texts.extend(object.uses.iter().map(|used| used.canonical().to_owned()));
        let all: BTreeSet<String> = texts.iter().flat_map(|text| words(text)).collect();
        for word in all {
            self.by_word.entry(word).or_default().push(key.clone());
        }
    }

    /// Renames an object in the part of the model that has its name, or what such an object uses.
    pub fn rename(&mut self, dialect: &dyn Mapper, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        let mut part = BTreeSet::from([key.clone()]);
        // A name of several words is in no text without its first one.
        let first = words(key.name.identifier()).next();
        part.extend(first.and_then(|word| self.by_word.get(&word)).into_iter().flatten().cloned());
        let used: Vec<ObjectKey> = part
            .iter()
            .filter_map(|key| model.get(key))
            .flat_map(|object| object.uses.iter().chain(object.definition.owner()))
            .flat_map(|name| model.named(name))
            .map(Object::key)
            .collect();
        part.extend(used);
        let mut small: Model = part.iter().filter_map(|key| model.remove(key)).collect();
        dialect.rename_any(&mut small, key, to);
        for object in small.take_objects() {
            self.add(&object);
            model.insert(object);
        }
    }
}
