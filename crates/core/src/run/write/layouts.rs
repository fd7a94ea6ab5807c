//! The layout of each import file of a job.

use crate::job::lists::{EntriesToCompare, JobList};
use crate::job::{Job, Write};
use crate::layout::receipt::AllColumns;
use crate::layout::{Content, Layout, LayoutColumn, Membership};
use pebblebank_formats::writing::FileFormat;
use pebblebank_values::{ColumnRef, Field};

/// The layout of each import file; without one, all columns of all sources, and where sources are compared one for each.
pub fn layouts(job: &Job, columns: &AllColumns) -> Vec<Layout> {
    let all = || {
        let column = |name: &str, content| LayoutColumn { content, ..LayoutColumn::of_column(name) };
        let taken = job.lists.iter().flat_map(JobList::take).map(|taken| &taken.ours);
        let taken: Vec<_> = taken.filter(|column| !columns.columns.contains(column)).collect();
        let mut all: Vec<_> = columns
            .columns
            .iter()
            .chain(taken)
            .map(|wanted| column(wanted.name(), Content::Column(wanted.clone())))
            .collect();
        let tags = ColumnRef::Field(Field::Tags);
        if job.gives_tags() && !columns.columns.contains(&tags) {
            all.push(column(tags.name(), Content::Column(tags.clone())));
        }
        if columns.has_surplus {
            all.push(column("surplus cells", Content::Surplus));
        }
        if job.compares() {
            let membership = |name: &String| column(&format!("in {name}"), Content::Membership(Membership::of(name)));
            all.extend(job.sources.iter().map(|source| membership(&source.name)));
        }
        Layout::new("all columns", all)
    };
    let layout = |write: &Write| {
        let layout = match &write.layout {
            Some(layout) => layout.clone(),
            None if write.form.format == FileFormat::RecipientLine => {
                Layout::new("addresses", vec![LayoutColumn::of_column(Field::Email.name())])
            }
            None => all(),
        };
        // What --sort says holds for a layout that says nothing.
        let sort = if layout.sort.is_empty() { job.sort.clone() } else { layout.sort };
        Layout { sort, ..layout }
    };
    job.writes.iter().map(layout).collect()
}
