//! Statements and their values as `PostgreSQL` understands them.

use crate::store::{Cell, Cells, ColumnKind};
use postgres::types::{IsNull, ToSql, Type, to_sql_checked};

/// A statement as `PostgreSQL` understands it.
pub(super) fn as_understood(statement: &str) -> String {
    let mut understood = String::with_capacity(statement.len() + 64);
    let mut rest = statement;
    while let Some(at) = rest.find(['?', 'i', 'b', 't', 'j']) {
        understood.push_str(&rest[..at]);
        rest = &rest[at..];
        let table = [("integers(?", "bigint"), ("blobs(?", "bytea"), ("texts(?", "text")]
            .into_iter()
            .find_map(|(word, kind)| Some((rest.strip_prefix(word)?.split_once(')')?, kind)));
        if let Some(((number, behind), kind)) = table {
            understood.push_str(&format!("(select unnest(cast(${number} as {kind}[])) as value)"));
            rest = behind;
        } else if let Some(behind) = rest.strip_prefix("join_in_order") {
            understood.push_str("join");
            rest = behind;
        } else {
            let (sign, behind) = rest.split_at(1);
            understood.push_str(if sign == "?" { "$" } else { sign });
            rest = behind;
        }
    }
    understood + rest
}

impl ToSql for Cell<'_> {
    fn to_sql(
        &self,
        kind: &Type,
        out: &mut postgres::types::private::BytesMut,
    ) -> std::result::Result<IsNull, Box<dyn std::error::Error + Sync + Send>> {
        match self {
            Cell::Null => Ok(IsNull::Yes),
            Cell::Integer(value) if *kind == Type::BOOL => (*value != 0).to_sql(kind, out),
            Cell::Integer(value) if *kind == Type::INT4 => i32::try_from(*value)?.to_sql(kind, out),
            Cell::Integer(value) => value.to_sql(kind, out),
            Cell::Text(value) => value.to_sql(kind, out),
            Cell::Bytes(value) => value.to_sql(kind, out),
            Cell::Integers(values) => values.to_sql(kind, out),
            Cell::Blobs(values) => values.to_sql(kind, out),
            Cell::Texts(values) => values.to_sql(kind, out),
        }
    }

    /// What a column can take is up to the statements.
    fn accepts(_kind: &Type) -> bool {
        true
    }

    to_sql_checked!();
}

impl Cells for postgres::Row {
    fn cell(&self, at: usize) -> Option<Cell<'_>> {
        let number = |value: Option<i64>| value.map_or(Cell::Null, Cell::Integer);
        Some(match *self.columns().get(at)?.type_() {
            Type::INT8 => number(self.try_get(at).ok()?),
            Type::INT4 => number(self.try_get::<_, Option<i32>>(at).ok()?.map(i64::from)),
            Type::BOOL => number(self.try_get::<_, Option<bool>>(at).ok()?.map(i64::from)),
            Type::BYTEA => self.try_get::<_, Option<&[u8]>>(at).ok()?.map_or(Cell::Null, Cell::Bytes),
            _ => self.try_get::<_, Option<&str>>(at).ok()?.map_or(Cell::Null, Cell::Text),
        })
    }
}

/// The type of what a statement is given; the server finds that of nothing by its place.
pub(super) fn type_of_cell(cell: &Cell<'_>) -> Type {
    match cell {
        Cell::Null => Type::UNKNOWN,
        Cell::Integer(_) => Type::INT8,
        Cell::Text(_) => Type::TEXT,
        Cell::Bytes(_) => Type::BYTEA,
        Cell::Integers(_) => Type::INT8_ARRAY,
        Cell::Blobs(_) => Type::BYTEA_ARRAY,
        Cell::Texts(_) => Type::TEXT_ARRAY,
    }
}

/// The type of a column that is written.
pub(super) fn type_of(kind: ColumnKind) -> Type {
    match kind {
        ColumnKind::Integer => Type::INT8,
        ColumnKind::Text => Type::TEXT,
        ColumnKind::Bytes => Type::BYTEA,
    }
}

#[cfg(test)]
mod tests {
    use super::as_understood;

    #[test]
    fn statements_are_written_once() {
        let written = "select b from integers(?2) x join_in_order entry e on e.text = x.value where batch in (?1, ?10)";
        let understood = "select b from (select unnest(cast($2 as bigint[])) as value) x join entry e on e.text = x.value \
                          where batch in ($1, $10)";
        assert_eq!(as_understood(written), understood);
    }
}
