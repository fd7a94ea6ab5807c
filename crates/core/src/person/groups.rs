//! Rows that are one person: a union-find whose roots are the survivors.

use pebblebank_table::units::RowId;

/// Groups of rows, 4 bytes a row. The root of each group is its best row by the order handed in.
#[derive(Debug)]
pub struct Groups {
    parent: Vec<u32>,
}

impl Groups {
    /// Every row by itself.
    pub fn new(rows: usize) -> Groups {
        Groups { parent: (0..rows as u32).collect() }
    }

    /// The survivor of a row's group, so far.
    #[inline]
    pub fn survivor(&mut self, row: RowId) -> RowId {
        let mut at = row.0;
        while self.parent[at as usize] != at {
            let above = self.parent[self.parent[at as usize] as usize];
            self.parent[at as usize] = above;
            at = above;
        }
        RowId(at)
    }

    /// Makes two rows one person; `outranks` says whether the first of two rows survives the second.
    pub fn join(&mut self, a: RowId, b: RowId, outranks: impl Fn(RowId, RowId) -> bool) {
        let (a, b) = (self.survivor(a), self.survivor(b));
        if a == b {
            return;
        }
        let (survivor, merged) = if outranks(a, b) { (a, b) } else { (b, a) };
        self.parent[merged.index()] = survivor.0;
    }

    /// Makes every row point at its survivor, which [`Self::settled`] then reads.
    pub fn settle(&mut self) {
        for row in 0..self.parent.len() {
            let survivor = self.survivor(RowId(row as u32));
            self.parent[row] = survivor.0;
        }
    }

    /// Once settled, lets the best row of a group survive: the first of those that no other `outranks`.
    pub fn elect(&mut self, outranks: impl Fn(RowId, RowId) -> bool) {
        let mut better: std::collections::HashMap<u32, u32> = std::collections::HashMap::new();
        for (row, survivor) in self.parent.iter().enumerate() {
            if row as u32 == *survivor {
                continue;
            }
            let best = better.get(survivor).copied().unwrap_or(*survivor);
            if outranks(RowId(row as u32), RowId(best)) {
                better.insert(*survivor, row as u32);
            }
        }
        if better.is_empty() {
            return;
        }
        for survivor in &mut self.parent {
            if let Some(elected) = better.get(survivor) {
                *survivor = *elected;
            }
        }
    }

    /// The survivor of each row, once settled.
    pub fn settled(&self) -> &[u32] {
        &self.parent
    }
}
