//! Columns that may say who must not be contacted: what their header and their values leave open.
//!
//! A wrong guess here writes to people who refused. So a column is taken only where header and values leave one reading;
//! else the user is asked.

pub use super::consent_header::{HeaderSays, direction_of, header_says, subject};
pub use super::consent_values::{ValuesSay, is_sure_refusal};
use pebblebank_values::consent::YesMeans;

/// What a column is, by its header and its values together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Judged {
    /// It says nothing about consent.
    Nothing,
    /// It is about another channel than e-mail.
    OtherChannel,
    /// There is one reading. `by_values` where the header alone would not have told.
    Consent {
        /// What yes means; none where words say by themselves what they mean.
        yes_means: Option<YesMeans>,
        /// Whether the values told, and not the header.
        by_values: bool,
    },
    /// There are several readings: the user is asked.
    Open,
}

/// Judges a column that nobody mapped.
pub fn judge(header: &str, values: &ValuesSay) -> Judged {
    let says = header_says(header);
    if values.addresses * 2 > values.filled && values.filled > 0 {
        return Judged::Nothing;
    }
    match says {
        HeaderSays::OtherChannel => Judged::OtherChannel,
        HeaderSays::Nothing if values.speak_of_refusals() && !values.needs_direction() => {
            let is_sure = values.sure_refusals > 0;
            if is_sure { Judged::Consent { yes_means: None, by_values: true } } else { Judged::Open }
        }
        HeaderSays::Nothing => Judged::Nothing,
        // Nothing is filled so far: what comes later is read, or asked about.
        HeaderSays::Direction(yes_means) if values.filled == 0 => {
            Judged::Consent { yes_means: Some(yes_means), by_values: false }
        }
        HeaderSays::Open if values.filled == 0 => Judged::Consent { yes_means: None, by_values: false },
        _ if !values.look_like_consent() => {
            if values.sure_refusals > 0 {
                Judged::Open
            } else {
                Judged::Nothing
            }
        }
        HeaderSays::Direction(yes_means) => Judged::Consent { yes_means: Some(yes_means), by_values: false },
        HeaderSays::Open if values.needs_direction() => Judged::Open,
        HeaderSays::Open => Judged::Consent { yes_means: None, by_values: true },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::columns::consent_header::words_of;
    use rstest::rstest;

    #[rstest]
    #[case("Marketing OK?", YesMeans::OptedIn)]
    #[case("Email marketing", YesMeans::OptedIn)]
    #[case("GDPR consent", YesMeans::OptedIn)]
    #[case("May contact", YesMeans::OptedIn)]
    #[case("Subscribe", YesMeans::OptedIn)]
    #[case("Permission to email", YesMeans::OptedIn)]
    #[case("Einwilligung", YesMeans::OptedIn)]
    #[case("Werbeeinwilligung", YesMeans::OptedIn)]
    #[case("Promotional emails", YesMeans::OptedIn)]
    #[case("is_subscribed", YesMeans::OptedIn)]
    #[case("Consentement marketing", YesMeans::OptedIn)]
    #[case("Toestemming nieuwsbrief", YesMeans::OptedIn)]
    #[case("Kein Newsletter", YesMeans::OptedOut)]
    #[case("Opted out of e-mail", YesMeans::OptedOut)]
    #[case("Unsubscribed at", YesMeans::OptedOut)]
    #[case("Opt-out date", YesMeans::OptedOut)]
    #[case("Abgemeldet am", YesMeans::OptedOut)]
    #[case("DoNotContact", YesMeans::OptedOut)]
    #[case("emailOptOut", YesMeans::OptedOut)]
    #[case("EMAIL_OPTOUT", YesMeans::OptedOut)]
    #[case("Ne pas contacter", YesMeans::OptedOut)]
    #[case("No contactar", YesMeans::OptedOut)]
    #[case("Geen e-mail", YesMeans::OptedOut)]
    #[case("Desabonné le", YesMeans::OptedOut)]
    #[case("Fecha de baja", YesMeans::OptedOut)]
    #[case("Não enviar e-mail", YesMeans::OptedOut)]
    #[case("Marketing blocked", YesMeans::OptedOut)]
    #[case("newsletterAbgemeldet", YesMeans::OptedOut)]
    #[case("Marketing not allowed", YesMeans::OptedOut)]
    fn a_header_has_a_direction(#[case] header: &str, #[case] yes_means: YesMeans) {
        assert_eq!(header_says(header), HeaderSays::Direction(yes_means), "{:?}", words_of(header));
    }

    #[rstest]
    #[case("Privacy")]
    #[case("Terms")]
    #[case("Subscription")]
    #[case("Abonnement")]
    #[case("Do not unsubscribe")]
    #[case("Photo consent")]
    fn a_header_may_leave_the_direction_open(#[case] header: &str) {
        assert_eq!(header_says(header), HeaderSays::Open);
    }

    #[rstest]
    #[case("Option", HeaderSays::Nothing)]
    #[case("Volunteer", HeaderSays::Nothing)]
    #[case("Attending", HeaderSays::Nothing)]
    #[case("Customer no", HeaderSays::Nothing)]
    #[case("Contact no.", HeaderSays::Nothing)]
    #[case("SMS marketing", HeaderSays::OtherChannel)]
    #[case("Opt-in phone", HeaderSays::OtherChannel)]
    #[case("E-mail and SMS consent", HeaderSays::Direction(YesMeans::OptedIn))]
    fn a_header_may_be_about_something_else(#[case] header: &str, #[case] says: HeaderSays) {
        assert_eq!(header_says(header), says);
    }

    #[rstest]
    #[case("Opt status", &["unsubscribed", "unsubscribed", "x1"], Judged::Consent { yes_means: Some(YesMeans::OptedIn), by_values: false })]
    #[case("State", &["unsubscribed", "unsubscribed", ""], Judged::Consent { yes_means: None, by_values: true })]
    #[case("Order", &["cancelled", "cancelled", "shipped"], Judged::Open)]
    #[case("Town", &["Larkfold", "Quillmere"], Judged::Nothing)]
    #[case("Marketing", &["1200", "90", "7"], Judged::Nothing)]
    #[case("Subscription", &["yes", "no"], Judged::Open)]
    #[case("Subscription", &["unsubscribed", "subscribed"], Judged::Consent { yes_means: None, by_values: true })]
    fn header_and_values_are_judged_together(#[case] header: &str, #[case] values: &[&str], #[case] judged: Judged) {
        let values = ValuesSay::of(values.iter().map(|value| (*value).to_owned()));
        assert_eq!(judge(header, &values), judged);
    }
}
