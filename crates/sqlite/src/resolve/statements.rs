//! CREATE statements and the statements in bodies of triggers.

use syntaqlite::nodes::{
    ColumnConstraint, CreateIndexStmt, CreateTableStmt, CreateTriggerStmt, CreateViewStmt, DeleteStmt, Expr, ExprList,
    ForeignKeyClause, InsertStmt, OrderByList, SetClauseList, Stmt, TableConstraint, TableRef, TriggerEventType,
    UpdateStmt,
};
use syntaqlite::nodes::{ColumnConstraintItem, LiteralType, TableConstraintItem};
use wevrun_core::model::{QualifiedName, Usage};

use super::schema::Columns;
use super::scope::{Level, Source};
use super::walk::Walk;
use crate::names::name;

impl Walk<'_> {
    /// A whole statement.
    pub fn statement(&mut self, statement: Stmt<'_>) {
        match statement {
            Stmt::CreateTableStmt(node) => self.create_table(&node),
            Stmt::CreateIndexStmt(node) => self.create_index(&node),
            Stmt::CreateViewStmt(node) => self.create_view(&node),
            Stmt::CreateTriggerStmt(node) => self.create_trigger(&node),
            Stmt::CreateVirtualTableStmt(node) => drop(self.defines(node.table_name())),
            Stmt::InsertStmt(node) => self.insert(&node),
            Stmt::UpdateStmt(node) => self.update(&node),
            Stmt::DeleteStmt(node) => self.delete(&node),
            query => drop(self.statement_outputs(query)),
        }
    }

    /// The name that a statement defines.
    fn defines(&mut self, part: &str) -> QualifiedName {
        let (name, identifier) = self.object(part);
        self.uses(&name, Usage::Defines, identifier.span);
        name
    }

    fn create_table(&mut self, node: &CreateTableStmt<'_>) {
        let table = self.defines(node.table_name());
        let columns: Vec<_> = node.columns().iter().flat_map(|list| list.iter()).collect();
        let names = columns.iter().filter_map(|column| self.tree.name(column.column_name()));
        let names: Columns = names.map(|column| column.name).collect();
        self.levels.push(Level { sources: vec![of_table(&table, names)], aliases: Vec::new() });
        for column in columns {
            let own = self.tree.name(column.column_name());
            self.column_of(&table, own, Usage::Defines);
            for item in column.constraints().iter().flat_map(|list| list.iter()) {
                if let ColumnConstraintItem::ColumnConstraint(constraint) = item {
                    self.column_constraint(&constraint);
                }
            }
        }
        for group in node.table_constraints().iter().flat_map(|list| list.iter()) {
            for item in group.iter() {
                if let TableConstraintItem::TableConstraint(constraint) = item {
                    self.table_constraint(&table, &constraint);
                }
            }
        }
        self.levels.pop();
    }

    fn column_constraint(&mut self, constraint: &ColumnConstraint<'_>) {
        self.expression(constraint.check_expr());
        self.expression(constraint.generated_expr());
        if constraint.default_has_parens() {
            // A default sees no column.
            let levels = std::mem::take(&mut self.levels);
            self.expression(constraint.default_expr());
            self.levels = levels;
        }
        self.parent(constraint.fk_clause());
    }

    fn table_constraint(&mut self, table: &QualifiedName, constraint: &TableConstraint<'_>) {
        self.key_parts(table, constraint.pk_columns());
        self.names(table, constraint.fk_columns(), Usage::Key);
        self.expression(constraint.check_expr());
        self.parent(constraint.fk_clause());
    }

    /// The rest of REFERENCES.
    fn parent(&mut self, clause: Option<ForeignKeyClause<'_>>) {
        let Some(clause) = clause else { return };
        let (parent, identifier) = self.object(clause.ref_table());
        self.uses(&parent, Usage::References, identifier.span);
        self.names(&parent, clause.ref_columns(), Usage::References);
    }

    /// Names of columns of a table.
    fn names(&mut self, table: &QualifiedName, list: Option<ExprList<'_>>, usage: Usage) {
        for column in list.iter().flat_map(|list| list.iter()) {
            self.column_name(table, column, usage);
        }
    }

    /// A column where the grammar has only a name, which may be quoted as a string; returns whether it is one.
    fn column_name(&mut self, table: &QualifiedName, column: Expr<'_>, usage: Usage) -> bool {
        let part = match column {
            Expr::ColumnRef(column) if column.table().is_empty() => column.column(),
            Expr::Literal(literal) if literal.literal_type() == LiteralType::String => literal.source(),
            _ => return false,
        };
        let column = self.tree.identifier(part);
        self.column_of(table, column, usage);
        true
    }

    /// The columns and expressions of a key or index.
    fn key_parts(&mut self, table: &QualifiedName, parts: Option<OrderByList<'_>>) {
        for part in parts.iter().flat_map(|list| list.iter()) {
            let mut expression = part.expr();
            while let Some(Expr::CollateExpr(node)) = expression {
                expression = node.expr();
            }
            let Some(expression) = expression else { continue };
            if !self.column_name(table, expression, Usage::Key) {
                self.expression(Some(expression));
            }
        }
    }

    fn create_index(&mut self, node: &CreateIndexStmt<'_>) {
        self.defines(node.index_name());
        let (table, identifier) = self.object(node.table_name());
        self.uses(&table, Usage::Owner, identifier.span);
        let source = of_table(&table, self.schema.columns(&table));
        self.levels.push(Level { sources: vec![source], aliases: Vec::new() });
        self.key_parts(&table, node.columns());
        self.expression(node.where_clause());
        self.levels.pop();
    }

    fn create_view(&mut self, node: &CreateViewStmt<'_>) {
        let view = self.defines(node.view_name());
        self.names(&view, node.column_names(), Usage::Defines);
        self.subquery(node.select());
    }

    fn create_trigger(&mut self, node: &CreateTriggerStmt<'_>) {
        self.defines(node.trigger_name());
        let owner = node.table().and_then(|table| self.tree.name(table.object_name()));
        let Some(owner) = owner else { return };
        let table = crate::names::object_name(owner.name.written());
        self.uses(&table, Usage::Owner, owner.span);
        let mut rows = Vec::new();
        if let Some(event) = node.event() {
            self.names(&table, event.columns(), Usage::Fires);
            let columns = self.schema.columns(&table);
            let row = |word: &str| Source {
                qualifier: Some(name(word)),
                has_own_name: false,
                only_qualified: true,
                ..of_table(&table, columns.clone())
            };
            match event.event_type() {
                TriggerEventType::Insert => rows.push(row("new")),
                TriggerEventType::Delete => rows.push(row("old")),
                TriggerEventType::Update => rows.extend([row("old"), row("new")]),
            }
        }
        self.levels.push(Level { sources: rows, aliases: Vec::new() });
        self.expression(node.when_expr());
        for statement in node.body().iter().flat_map(|list| list.iter()) {
            self.statement(statement);
        }
        self.levels.pop();
    }

    /// The table that a statement writes to.
    fn written_table(&mut self, table: Option<TableRef<'_>>) -> Option<Source> {
        let table = table?;
        let (relation, own) = self.object(table.table_name());
        self.uses(&relation, Usage::Writes, own.span);
        let alias = self.tree.name(table.alias()).map(|alias| alias.name);
        self.hint(table.index_name());
        let columns = self.schema.columns(&relation);
        Some(Source {
            has_own_name: alias.is_none(),
            qualifier: Some(alias.unwrap_or(own.name)),
            ..of_table(&relation, columns)
        })
    }

    fn insert(&mut self, node: &InsertStmt<'_>) {
        let outer = self.common.len();
        self.with(node.with_ctes());
        let Some(source) = self.written_table(node.table()) else { return };
        let table = source.relation.clone().expect("a written table is one of the schema");
        match node.columns() {
            Some(columns) => self.names(&table, Some(columns), Usage::Writes),
            // DEFAULT VALUES has no query.
            None if node.source().is_some() => self.uses(&table, Usage::WholeRow, None),
            None => {}
        }
        self.subquery(node.source());
        for upsert in node.upsert().iter().flat_map(|list| list.iter()) {
            self.levels.push(Level { sources: vec![source.clone()], aliases: Vec::new() });
            self.key_parts(&table, upsert.columns());
            self.expression(upsert.target_where());
            let excluded = Source {
                qualifier: Some(name("excluded")),
                has_own_name: false,
                only_qualified: true,
                ..source.clone()
            };
            self.add(excluded);
            self.assignments(&table, upsert.setlist());
            self.expression(upsert.update_where());
            self.levels.pop();
        }
        self.common.truncate(outer);
    }

    /// SET.
    fn assignments(&mut self, table: &QualifiedName, list: Option<SetClauseList<'_>>) {
        for clause in list.iter().flat_map(|list| list.iter()) {
            let column = self.tree.identifier(clause.column());
            self.column_of(table, column, Usage::Writes);
            self.names(table, clause.columns(), Usage::Writes);
            self.expression(clause.value());
        }
    }

    fn update(&mut self, node: &UpdateStmt<'_>) {
        let outer = self.common.len();
        self.with(node.with_ctes());
        let Some(source) = self.written_table(node.table()) else { return };
        let table = source.relation.clone().expect("a written table is one of the schema");
        self.hint(node.index_name());
        self.levels.push(Level { sources: vec![source], aliases: Vec::new() });
        let mut conditions = Vec::new();
        if let Some(from) = node.from_clause() {
            self.source(from, &mut conditions);
        }
        conditions.into_iter().for_each(|condition| self.expression(Some(condition)));
        self.assignments(&table, node.setlist());
        self.expression(node.where_clause());
        self.terms(node.orderby());
        self.levels.pop();
        self.common.truncate(outer);
    }

    fn delete(&mut self, node: &DeleteStmt<'_>) {
        let outer = self.common.len();
        self.with(node.with_ctes());
        let Some(source) = self.written_table(node.table()) else { return };
        self.hint(node.index_name());
        self.levels.push(Level { sources: vec![source], aliases: Vec::new() });
        self.expression(node.where_clause());
        self.terms(node.orderby());
        self.levels.pop();
        self.common.truncate(outer);
    }
}

/// A table or view under its own name.
fn of_table(relation: &QualifiedName, columns: Columns) -> Source {
    Source {
        qualifier: Some(relation.printed().clone()),
        relation: Some(relation.clone()),
        columns,
        merged: Vec::new(),
        has_own_name: true,
        only_qualified: false,
    }
}
