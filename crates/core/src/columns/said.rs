//! Columns that the job names: for fields, as opt-in or opt-out, for its own fields.

use super::consent;
use crate::columns::mapper::Mapper;
use pebblebank_table::Result;
use pebblebank_table::units::ColumnIndex;
use pebblebank_values::Field;
use pebblebank_values::consent::YesMeans;
use pebblebank_values::fold::fold;

impl Mapper<'_> {
    /// Takes the columns that the job names for fields, and as opt-in or opt-out.
    pub fn take_wishes(&mut self) -> Result<()> {
        let wishes = self.file.wishes;
        for (field, headers) in &wishes.headers {
            let columns: Vec<ColumnIndex> =
                headers.iter().map(|header| self.column_named(field.name(), header)).collect::<Result<_>>()?;
            let [first, others @ ..] = columns.as_slice() else { continue };
            match field {
                Field::Consent => {
                    for column in &columns {
                        let yes_means = consent::direction_of(self.map.header(*column));
                        self.take_consent(*column, yes_means);
                    }
                }
                Field::Email => {
                    self.take(Field::Email, *first);
                    self.take_further_addresses(others);
                }
                _ => {
                    self.take(*field, *first);
                    self.map.second_choices[*field as usize] = others.first().copied();
                    for column in others {
                        self.taken[column.0] = true;
                    }
                }
            }
        }
        let said = [(&wishes.opt_in, YesMeans::OptedIn), (&wishes.opt_out, YesMeans::OptedOut)];
        for (headers, yes_means) in said {
            for header in headers {
                // One of several files may be without it; a header that no file has is an error later.
                if let Ok(column) = self.column_named("consent", header) {
                    self.map.consents.retain(|known| known.column != column);
                    self.take_consent(column, Some(yes_means));
                }
            }
        }
        Ok(())
    }

    /// A column of a job's own field goes by the field's name from here on.
    pub fn take_own(&mut self) -> Result<()> {
        for own in &self.file.wishes.own {
            let column = match &own.header {
                Some(header) => self.column_named(&own.name, header)?,
                None => match self.map.headers.column(&fold(&own.name)) {
                    Some(column) => column,
                    None => continue,
                },
            };
            self.taken[column.0] = true;
            self.map.headers.rename(column, &own.name);
            self.map.own.push((column, own.kind));
        }
        Ok(())
    }
}
