//! No view reads from itself.

use petgraph::algo::kosaraju_scc;
use petgraph::graphmap::DiGraphMap;

use super::Checks;
use crate::diagnostics::{Code, Diagnostic};
use crate::model::{Kind, Object};

pub(super) fn check(checks: &mut Checks<'_>) {
    let views: Vec<&Object> = checks.model.of_kind(Kind::View).collect();
    let mut graph: DiGraphMap<usize, ()> = DiGraphMap::new();
    for (index, view) in views.iter().enumerate() {
        graph.add_node(index);
        for used in &view.uses {
            if let Ok(other) = views.binary_search_by(|view| view.name.cmp(used)) {
                graph.add_edge(index, other, ());
            }
        }
    }
    for mut circle in kosaraju_scc(&graph) {
        circle.sort_unstable();
        if circle.len() == 1 && !graph.contains_edge(circle[0], circle[0]) {
            continue;
        }
        let names: Vec<&str> = circle.iter().map(|index| views[*index].name.written()).collect();
        let mut diagnostic =
            Diagnostic::new(Code::WV120, format!("these views read from one another: {}", names.join(", ")))
                .at(checks.definition_of(views[circle[0]]), "reads from itself, directly or through others");
        for index in &circle[1..] {
            diagnostic = diagnostic.and_at(checks.definition_of(views[*index]), "part of the circle");
        }
        checks.add(diagnostic);
    }
}
