//! Who may do what in a database: three roles, and the statements for whoever runs the server.

use super::Address;
use super::shape::SHAPES;

/// The names of the roles for a schema.
pub(super) struct Names {
    /// Reads and prepares.
    pub prepare: String,
    /// Loads and undoes, too.
    pub load: String,
    /// Forgets, too.
    pub forget: String,
}

/// The roles for a schema.
pub(super) fn names(schema: &str) -> Names {
    Names { prepare: format!("{schema}_prepare"), load: format!("{schema}_load"), forget: format!("{schema}_forget") }
}

/// A name as a statement has it.
pub(super) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// A text as a statement has it.
fn as_text(name: &str) -> String {
    format!("'{}'", name.replace('\'', "''"))
}

/// The statements that make the roles and say what they may do.
pub(super) fn of_schema(schema: &str) -> String {
    let Names { prepare, load, forget } = names(schema);
    let mut statements = include_str!("schema/roles.sql").to_owned();
    for (name, role) in [("prepare", &prepare), ("load", &load), ("forget", &forget)] {
        statements = statements.replace(&format!("{{{name}_text}}"), &as_text(role));
        statements = statements.replace(&format!("{{{name}}}"), &quoted(role));
    }
    statements.replace("{schema}", &quoted(schema))
}

/// All statements that make a schema for a bank, for whoever runs the server to read and carry out.
pub(crate) fn statements(address: &Address) -> String {
    let schema = &address.schema;
    let name = quoted(schema);
    let made = format!(
        "-- Makes the schema of a bank, and the roles of those who use it. Carry it out as the user who is to own the bank;\n\
         -- making roles needs the right to do so. Then pebblebank bank init makes the bank ready.\n\
         begin;\ncreate schema {name};\nset local search_path = {name};\n\n"
    );
    format!("{made}{}\n{}\ncommit;\n", SHAPES.concat(), of_schema(schema))
}
