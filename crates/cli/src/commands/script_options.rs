//! Options of the commands that make scripts.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use wevrun_core::Dialect;
use wevrun_core::compare::{Aspect, Comparison};
use wevrun_core::model::{Kind, Model};
use wevrun_core::plan::{self, Waiver};

use crate::choice::{ChoiceOptions, Chosen};
use crate::failure::{Ended, Failure};
use crate::output::print::note;
use crate::output::style::{self, paint};
use crate::project::read_waiver_file;
use crate::side::Context;

/// The options of every command that makes a script
#[derive(Debug, Clone, Args)]
pub struct ScriptOptions {
    /// How to build indexes and keys of existing tables, and how to drop indexes [default: in the transaction, which blocks writes]
    #[arg(long, value_name = "HOW")]
    pub index_builds: Option<IndexBuilds>,

    /// Which differences
    #[command(flatten)]
    pub choice: ChoiceOptions,

    /// Take waivers from this file [default: waivers.toml in the project's folder]
    #[arg(long, value_name = "FILE")]
    pub waivers: Option<PathBuf>,

    /// Continue although the target's ledger names another project
    #[arg(long)]
    pub other_project: bool,
}

/// A value of `--index-builds`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum IndexBuilds {
    /// After the transaction, without blocking writes
    Concurrent,
}

impl ScriptOptions {
    /// Whether nothing is asked for.
    pub fn is_empty(&self) -> bool {
        self.index_builds.is_none() && self.choice.is_empty()
    }

    /// The waivers: of the file that is named, or of the project.
    pub fn waivers(&self, context: &Context) -> Ended<Vec<Waiver>> {
        match (&self.waivers, &context.project) {
            (Some(path), _) => read_waiver_file(path),
            (None, Some(project)) => project.waivers(),
            (None, None) => Ok(Vec::new()),
        }
    }

    /// As the plan takes them. Says what can't be done.
    pub fn of(
        &self,
        dialect: &dyn Dialect,
        have: &Model,
        comparison: &Comparison<'_>,
        chosen: &Chosen,
    ) -> Ended<plan::PlanOptions> {
        let concurrent_indexes = self.index_builds == Some(IndexBuilds::Concurrent);
        if concurrent_indexes && !dialect.engine().capabilities.can_build_indexes_concurrently {
            let engine = dialect.engine();
            return Err(Failure::usage(format!(
                "{engine} builds no index while others write; leave out --index-builds"
            )));
        }
        let mut script_options = plan::PlanOptions {
            concurrent_indexes,
            access: chosen.aspects.minds_access(),
            left: chosen.kept.iter().map(ToString::to_string).collect(),
            ..plan::PlanOptions::default()
        };
        let minds_order = chosen.aspects.minds(Aspect::ColumnOrder);
        for reordered in comparison.reordered.iter().filter(|_| minds_order) {
            let table = have.find(Kind::Table, &reordered.table);
            match table.and_then(|table| dialect.order_obstacle(have, table)) {
                None => script_options.column_order.push(reordered.table.clone()),
                Some(why) => note!(
                    "{}: the columns of {} keep their order: {why}",
                    paint(style::WARNING, "warning"),
                    reordered.table
                ),
            }
        }
        Ok(script_options)
    }
}
