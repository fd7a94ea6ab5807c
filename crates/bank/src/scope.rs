//! Scopes: whose rules apply, a client or brand, or everyone.

use crate::bank::Bank;
use crate::store::{Store, cells};
use pebblebank_table::error::closest;
use pebblebank_table::{Error, ErrorKind, Result};

/// A scope.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ScopeId(pub i64);

impl std::fmt::Display for ScopeId {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.fmt(f)
    }
}

/// The scope whose entries apply to everybody's mailings.
pub const EVERYONE: ScopeId = ScopeId(1);

/// The name of that scope.
pub const EVERYONE_NAME: &str = "everyone";

/// A scope that the bank does not have yet.
pub const NOT_YET: ScopeId = ScopeId(-1);

/// Whether a scope that was never seen is meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum NewScope {
    /// It is a typo.
    #[default]
    IsAnError,
    /// It is new.
    IsMeant,
}

impl Bank {
    /// All scopes, in the order in which they came.
    pub fn scopes(&self) -> Result<Vec<(ScopeId, String)>> {
        let query = "select id, name from scope order by id";
        self.store().all(query, &[], |row| Ok((ScopeId(row.get(0)?), row.get(1)?)))
    }

    /// The scope of that name, whatever its letter case; `everyone` without one.
    pub fn scope(&self, name: Option<&str>) -> Result<ScopeId> {
        let Some(name) = name.map(str::trim) else { return Ok(EVERYONE) };
        self.known_scope(name)?.ok_or_else(|| self.unknown_scope(name))
    }

    /// The scope of that name; [`NOT_YET`] for one that is meant to be new, which is not added.
    pub fn scope_or_not_yet(&self, name: Option<&str>, new: NewScope) -> Result<ScopeId> {
        let Some(name) = name.map(str::trim) else { return Ok(EVERYONE) };
        match (self.known_scope(name)?, new) {
            (Some(known), _) => Ok(known),
            (None, NewScope::IsAnError) => Err(self.unknown_scope(name)),
            (None, NewScope::IsMeant) if name.is_empty() => {
                let advice = "write a name, such as --scope larkfold";
                Err(Error::new(ErrorKind::Job, "the scope has no name", advice))
            }
            (None, NewScope::IsMeant) => Ok(NOT_YET),
        }
    }

    fn known_scope(&self, name: &str) -> Result<Option<ScopeId>> {
        let wanted = name.to_lowercase();
        Ok(self.scopes()?.into_iter().find(|(_, known)| known.to_lowercase() == wanted).map(|(id, _)| id))
    }

    fn unknown_scope(&self, name: &str) -> Error {
        let known: Vec<String> = self.scopes().unwrap_or_default().into_iter().map(|(_, name)| name).collect();
        let near = closest(name, known.iter().map(String::as_str));
        let near = near.map_or(String::new(), |near| format!("did you mean \"{near}\"? "));
        Error::new(
            ErrorKind::Job,
            format!("the bank has never seen the scope \"{name}\""),
            format!("{near}if it is a new client or brand, say so once: --new-scope"),
        )
        .expected(format!("one of {}", known.join(", ")))
    }

    /// Finds a scope by its name, and adds one that is meant to be new.
    pub fn scope_or_new(&mut self, name: Option<&str>, new: NewScope) -> Result<ScopeId> {
        match self.scope_or_not_yet(name, new)? {
            NOT_YET => {
                let (name, moment) = (name.unwrap_or_default().trim().to_owned(), self.moment().to_owned());
                self.change(|change| add_scope(change, &name, &moment))
            }
            known => Ok(known),
        }
    }

    /// What a scope is called.
    pub fn scope_name(&self, scope: ScopeId) -> Result<String> {
        let query = "select name from scope where id = ?1";
        let name: Option<String> = self.store().first(query, cells![scope.0], |row| row.get(0))?;
        Ok(name.unwrap_or_default())
    }
}

/// Adds a scope, unless another command just did.
pub(crate) fn add_scope(change: &dyn Store, name: &str, moment: &str) -> Result<ScopeId> {
    let is_new = change.execute("insert into scope (name) values (?1) on conflict do nothing", cells![name])? > 0;
    let id: i64 = change.value("select id from scope where name = ?1", cells![name])?;
    if is_new {
        change.execute("insert into history (moment, what, scope) values (?1, 'new scope', ?2)", cells![moment, id])?;
    }
    Ok(ScopeId(id))
}
