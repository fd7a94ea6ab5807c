//! Columns that line up, whatever the width of their letters.

use super::{Screen, Tone, WIDTH, safe_ends};
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
    whole: Option<usize>,
}

/// A column is not cut below this.
const LEAST_WIDTH: usize = 14;

impl Table {
    /// A table whose first column is headed by its subject.
    pub fn new(columns: &[(&str, Side)]) -> Table {
        Table {
            sides: columns.iter().map(|(_, side)| *side).collect(),
            rows: vec![columns.iter().map(|(heading, _)| (*heading).to_owned()).collect()],
            sum: None,
            whole: None,
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

    /// Never cuts the cells of this column: they are to be copied, such as the names of files.
    #[must_use]
    pub fn keeping(self, column: usize) -> Table {
        Table { whole: Some(column), ..self }
    }

    fn widths(&self) -> Vec<usize> {
        let all = || self.rows.iter().chain(&self.sum);
        let width = |column: usize| all().map(|row| row.get(column).map_or(0, |cell| cell.width())).max().unwrap_or(0);
        (0..self.sides.len()).map(width).collect()
    }

    /// The widths at which the table fits on a screen, as far as columns of words can be cut for it.
    fn fitting(&self, mut widths: Vec<usize>) -> Vec<usize> {
        loop {
            let excess = (2 + widths.iter().sum::<usize>() + 3 * widths.len().saturating_sub(1)).saturating_sub(WIDTH);
            let can_be_cut = |column: &usize| {
                self.sides[*column] == Side::Left && self.whole != Some(*column) && widths[*column] > LEAST_WIDTH
            };
            let widest = (0..widths.len()).filter(can_be_cut).max_by_key(|column| widths[*column]);
            let Some(widest) = widest.filter(|_| excess > 0) else { return widths };
            // Down to the next widest, so that several long columns share the cut.
            let cut = excess.min(widths[widest].div_ceil(4)).min(widths[widest] - LEAST_WIDTH);
            widths[widest] -= cut;
        }
    }

    /// The lines, two blanks in, no wider than a screen.
    pub fn render(&self, screen: &Screen) -> String {
        let natural = self.widths();
        let widths = self.fitting(natural.clone());
        if widths != natural {
            let cut = |row: &Vec<String>| row.iter().zip(&widths).map(|(cell, width)| cut_to(cell, *width)).collect();
            let (rows, sum) = (self.rows.iter().map(cut).collect(), self.sum.as_ref().map(cut));
            return Table { sides: self.sides.clone(), rows, sum, whole: self.whole }.render(screen);
        }
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

fn cut_to(cell: &str, width: usize) -> String {
    if cell.width() <= width {
        return cell.to_owned();
    }
    // Letters of some scripts take two places.
    let letters = cell.chars().count();
    safe_ends(cell, (width * letters / cell.width()).clamp(2, letters.saturating_sub(1).max(2)))
}
