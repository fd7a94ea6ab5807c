//! Columns that line up, whatever the width of their letters.

use super::{Screen, Tone};
use unicode_width::UnicodeWidthStr;

/// On which side the cells of a column line up.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Words.
    Left,
    /// Numbers.
    Right,
}

/// A table with a heading line.
pub struct Table {
    sides: Vec<Side>,
    rows: Vec<Vec<String>>,
    sum: Option<Vec<String>>,
}

impl Table {
    /// A table whose first column is headed by its subject.
    pub fn new(columns: &[(&str, Side)]) -> Table {
        Table {
            sides: columns.iter().map(|(_, side)| *side).collect(),
            rows: vec![columns.iter().map(|(heading, _)| (*heading).to_owned()).collect()],
            sum: None,
        }
    }

    /// Adds a row.
    pub fn row(&mut self, cells: Vec<String>) {
        self.rows.push(cells);
    }

    /// Sets the last row, under a rule.
    pub fn sum(&mut self, cells: Vec<String>) {
        self.sum = Some(cells);
    }

    /// The lines, two blanks in.
    pub fn render(&self, screen: &Screen) -> String {
        let all = || self.rows.iter().chain(&self.sum);
        let width = |column: usize| all().map(|row| row.get(column).map_or(0, |cell| cell.width())).max().unwrap_or(0);
        let widths: Vec<usize> = (0..self.sides.len()).map(width).collect();
        let line = |row: &Vec<String>| {
            let mut line = String::from("  ");
            for (index, cell) in row.iter().enumerate() {
                let gap = " ".repeat(widths[index].saturating_sub(cell.width()));
                match self.sides[index] {
                    Side::Left => line.push_str(&format!("{cell}{gap}")),
                    Side::Right => line.push_str(&format!("{gap}{cell}")),
                }
                line.push_str("   ");
            }
            line.trim_end().to_owned()
        };
        let mut text = String::new();
        for (index, row) in self.rows.iter().enumerate() {
            let line = line(row);
            text.push_str(&if index == 0 { screen.paint(Tone::Heading, &line) } else { line });
            text.push('\n');
        }
        if let Some(sum) = &self.sum {
            let length = widths.iter().sum::<usize>() + 3 * (widths.len() - 1);
            text.push_str(&format!("  {}\n{}\n", "─".repeat(length), line(sum)));
        }
        text
    }
}
