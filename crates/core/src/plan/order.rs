//! Orders in which objects can be created: referenced objects first, then by name.

use petgraph::graphmap::DiGraphMap;
use petgraph::visit::DfsPostOrder;

use crate::model::{Object, QualifiedName};

/// Tables, each after the tables that its foreign keys point at. In a circle the names decide.
pub fn parents_first<'m>(tables: &[&'m Object]) -> Vec<&'m Object> {
    ordered(tables, |object| {
        let table = object.as_table();
        table.into_iter().flat_map(|table| table.foreign_keys.iter().map(|key| &key.parent)).collect()
    })
}

/// Views, each after the views that it reads from.
pub fn used_first<'m>(views: &[&'m Object]) -> Vec<&'m Object> {
    ordered(views, |object| object.uses.iter().collect())
}

fn ordered<'m>(objects: &[&'m Object], needs: impl Fn(&'m Object) -> Vec<&'m QualifiedName>) -> Vec<&'m Object> {
    let mut sorted = objects.to_vec();
    sorted.sort_by_key(|object| &object.name);
    let mut graph: DiGraphMap<usize, ()> = DiGraphMap::new();
    for (index, object) in sorted.iter().enumerate() {
        graph.add_node(index);
        for name in needs(object) {
            if let Ok(other) = sorted.binary_search_by(|object| object.name.cmp(name)) {
                graph.add_edge(index, other, ());
            }
        }
    }
    // Depth first, from each object in order of name: what an object needs is done before it is.
    let mut walk = DfsPostOrder::empty(&graph);
    let mut order = Vec::with_capacity(sorted.len());
    for index in 0..sorted.len() {
        walk.move_to(index);
        while let Some(done) = walk.next(&graph) {
            order.push(sorted[done]);
        }
    }
    order
}
