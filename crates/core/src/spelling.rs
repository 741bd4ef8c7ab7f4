//! An engine's spellings of definitions, taken over into a model.

use crate::model::{Model, Object};

/// Gives every object the definition that the engine has for it, beside the person's own text.
///
/// `spelled` was read from a database that was made from the model and nothing else. Returns how many objects have another
/// definition there: what no canonical form of ours could tell.
pub fn take_over(model: &mut Model, spelled: &Model) -> usize {
    let mut changed = 0;
    for object in model.objects_mut() {
        let Some(there) = spelled.get(&object.key()) else { continue };
        if there.definition != object.definition {
            *object = Object { definition: there.definition.clone(), ..object.clone() };
            changed += 1;
        }
    }
    changed
}
