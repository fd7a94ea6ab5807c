//! Who may do what in a database: three roles, and the statements for whoever runs the server.

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
