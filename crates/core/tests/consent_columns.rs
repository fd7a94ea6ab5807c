//! Which columns are about consent: every header with every way to say yes and no, and the columns of ordinary exports.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::columns::consent::{Judged, ValuesSay, judge};
use pebblebank_values::consent::YesMeans;

/// Ways to say yes and no.
const YES_AND_NO: [(&str, &str); 9] = [
    ("yes", "no"),
    ("Y", "N"),
    ("TRUE", "FALSE"),
    ("1", "0"),
    ("x", ""),
    ("✓", "✗"),
    ("ja", "nein"),
    ("oui", "non"),
    ("2025-03-04", ""),
];

/// Headers under which a yes is an opt-in.
const OPT_IN: [&str; 24] = [
    "Marketing OK?",
    "Email marketing",
    "GDPR consent",
    "May contact",
    "Subscribe",
    "Permission to email",
    "Einwilligung",
    "Promotional emails",
    "is_subscribed",
    "Newsletter",
    "newsletterOptIn",
    "Opt-in",
    "accepts_marketing",
    "Mailing list",
    "Consentement marketing",
    "Toestemming nieuwsbrief",
    "Consenso newsletter",
    "Consentimiento",
    "Consentimento",
    "Accepte la newsletter",
    "Werbeeinwilligung",
    "Agrees to e-mail marketing",
    "Marketing permission",
    "Wants newsletter",
];

/// Headers under which a yes is an opt-out.
const OPT_OUT: [&str; 16] = [
    "Kein Newsletter",
    "Opted out of e-mail",
    "Opt-out",
    "emailOptOut",
    "Unsubscribed",
    "Do not contact",
    "DoNotEmail",
    "No marketing",
    "Abgemeldet",
    "Ne pas contacter",
    "Désabonné",
    "Geen e-mail",
    "Non contattare",
    "No contactar",
    "Não contactar",
    "Marketing blocked",
];

fn column(values: &[&str]) -> ValuesSay {
    ValuesSay::of(values.iter().map(|value| (*value).to_owned()))
}

#[test]
fn every_header_with_every_yes_and_no_is_read_in_its_direction_or_asked_about() {
    let headers = OPT_IN.iter().map(|header| (*header, YesMeans::OptedIn));
    let headers = headers.chain(OPT_OUT.iter().map(|header| (*header, YesMeans::OptedOut)));
    let mut wrong = Vec::new();
    for (header, direction) in headers {
        for (yes, no) in YES_AND_NO {
            let judged = judge(header, &column(&[yes, no, no, yes, no]));
            let is_safe = match &judged {
                Judged::Consent { yes_means, .. } => *yes_means == Some(direction),
                Judged::Open => true,
                Judged::Nothing | Judged::OtherChannel => false,
            };
            if !is_safe {
                wrong.push(format!("{header}: {yes}/{no}: {judged:?}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Headers of ordinary exports, that are not about consent.
const ORDINARY: [&str; 89] = [
    "VIP",
    "Member",
    "Active",
    "Paid",
    "Volunteer",
    "Attending",
    "Attended",
    "Checked in",
    "Deceased",
    "Verified",
    "Student",
    "Gift aid",
    "Recurring",
    "First visit",
    "Option",
    "Options",
    "Contact no.",
    "Customer no",
    "Notes",
    "Remarks",
    "Gender",
    "Title",
    "Salutation",
    "Age group",
    "Department",
    "Job title",
    "Role",
    "Owner",
    "Category",
    "Order status",
    "Payment status",
    "Ticket type",
    "Seat",
    "Row",
    "Amount",
    "Currency",
    "Total",
    "Quantity",
    "Discount",
    "Voucher",
    "Last order",
    "First order",
    "Created at",
    "Updated at",
    "Birthday",
    "Joined",
    "Renewal",
    "Expires",
    "Last seen",
    "Last visit",
    "Source",
    "Channel",
    "Campaign",
    "Segment",
    "Group",
    "Table",
    "Diet",
    "Vegetarian",
    "Allergies",
    "T-shirt",
    "Size",
    "Colour",
    "Language",
    "Region",
    "State",
    "County",
    "Building",
    "Floor",
    "Room",
    "Parking",
    "Wheelchair",
    "Photo",
    "Website",
    "Company",
    "VAT number",
    "Invoice",
    "Delivered",
    "Shipped",
    "Returned",
    "Refunded",
    "Kunde",
    "Aktiv",
    "Bezahlt",
    "Actif",
    "Accepted",
    "Wants dinner",
    "Invited",
    "Mail sent",
    "Opening hours",
];

/// What stands in ordinary columns.
const ORDINARY_VALUES: [&[&str]; 14] = [
    &["yes", "no", "no", "yes"],
    &["TRUE", "FALSE", "FALSE"],
    &["1", "0", "0", "1"],
    &["x", "", "", "x"],
    &["2025-03-04", "2024-01-02", ""],
    &["12.50", "7", "90"],
    &["Larkfold", "Quillmere", "Sandbar"],
    &["paid", "open", "paid"],
    &["active", "inactive", "active"],
    &["a", "b", "c"],
    &["delivered", "shipped", "delivered"],
    &["de", "fr", "en"],
    &["asked by phone", "", "likes ferns"],
    &["gold", "silver", "none"],
];

#[test]
fn at_most_one_in_a_thousand_ordinary_columns_asks_or_is_taken() {
    let mut taken = Vec::new();
    for header in ORDINARY {
        for values in ORDINARY_VALUES {
            let judged = judge(header, &column(values));
            if !matches!(judged, Judged::Nothing | Judged::OtherChannel) {
                taken.push(format!("{header}: {values:?}: {judged:?}"));
            }
        }
    }
    let judged = ORDINARY.len() * ORDINARY_VALUES.len();
    println!("{} of {judged} ordinary columns ask or are taken", taken.len());
    assert!(taken.len() * 1_000 <= judged, "{} of {judged}\n{}", taken.len(), taken.join("\n"));
}
