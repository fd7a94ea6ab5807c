//! What a status column says of an entry: by code or by words, in seven languages.

use pebblebank_core::suppress::reason::Reason;
use pebblebank_core::suppress::status::{self, StatusReason};
use rstest::rstest;

const SENT: StatusReason = StatusReason::Is(Reason::AlreadySent);
const HARD: StatusReason = StatusReason::Is(Reason::Bounced);
const SOFT: StatusReason = StatusReason::SoftBounce;
const OUT: StatusReason = StatusReason::Is(Reason::OptedOut);

#[rstest]
#[case::for_good("5.1.1", HARD)]
#[case::for_now("4.2.2", SOFT)]
#[case::arrived("2.0.0", SENT)]
#[case::reply_and_code("550 5.1.1 <ida@post.example>: user unknown", HARD)]
#[case::the_code_beats_the_reply("450-5.7.1 not now", HARD)]
#[case::a_reply_alone("421", SOFT)]
#[case::in_brackets("(5.1.10)", HARD)]
#[case::no_class_of_its_own("3.1.1", StatusReason::Unlisted)]
#[case::a_version_is_no_code("version 5.1.1", StatusReason::Unlisted)]
#[case::a_year_is_no_code("2026", StatusReason::Unlisted)]
#[case::a_day_is_no_code("5.3.2026", StatusReason::Unlisted)]
fn codes(#[case] value: &str, #[case] meant: StatusReason) {
    assert_eq!(status::read(value), meant);
}

#[rstest]
#[case::english(&["Delivered", "opened"], &["Soft bounce", "Mailbox full"], &["Hard-Bounce", "User unknown"], &["Unsubscribed", "opted out"])]
#[case::german(&["Zugestellt", "geöffnet"], &["Postfach voll"], &[], &["Abgemeldet"])]
#[case::french(&["Envoyée", "cliqué"], &["Boîte pleine"], &[], &["Désabonné", "désinscrite"])]
#[case::spanish(&["Entregado", "abierta"], &["Buzón lleno"], &[], &["Dado de baja"])]
#[case::italian(&["Consegnata", "aperto"], &["Casella piena"], &[], &["Disiscritto"])]
#[case::dutch(&["Bezorgd", "geopend"], &["Postvak vol"], &[], &["Afgemeld", "uitgeschreven"])]
#[case::portuguese(&["Entregue", "aberta"], &["Caixa cheia"], &[], &["Descadastrado"])]
fn words(#[case] sent: &[&str], #[case] soft: &[&str], #[case] hard: &[&str], #[case] out: &[&str]) {
    for (words, meant) in [(sent, SENT), (soft, SOFT), (hard, HARD), (out, OUT)] {
        for word in words {
            assert_eq!(status::read(word), meant, "{word}");
            assert_eq!(status::read(&format!("  {} ", word.to_uppercase())), meant, "{word}");
        }
    }
}

#[test]
fn a_reason_by_its_own_name_is_that_reason() {
    for reason in Reason::FOR_LISTS {
        assert_eq!(status::read(reason.name()), StatusReason::Is(reason));
        assert_eq!(status::read(&reason.name().replace('-', " ").to_uppercase()), StatusReason::Is(reason));
    }
}

#[rstest]
#[case::subscribed("subscribed", StatusReason::None)]
#[case::waiting_to_be_confirmed("pending", StatusReason::None)]
#[case::blank("", StatusReason::Blank)]
#[case::a_word_that_stands_for_nothing("n/a", StatusReason::Blank)]
#[case::a_word_that_nobody_listed("frozen", StatusReason::Unlisted)]
fn who_may_be_written_to_is_no_refusal_and_what_is_not_known_goes_by_its_list(
    #[case] value: &str,
    #[case] meant: StatusReason,
) {
    assert_eq!(status::read(value), meant);
}
