//! DNS, asked of stand-ins of every kind: what is certain, what is not, and how much time hostile servers can take.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_check::dns::{Asking, ask};
use pebblebank_standin::dns::{DnsServer, Zone};
use pebblebank_table::observe::Silent;
use pebblebank_values::verdict::{Verdict, Why};
use rstest::rstest;
use std::collections::BTreeMap;
use std::net::{Ipv4Addr, SocketAddr};
use std::time::Duration;

fn asking(server: SocketAddr) -> Asking {
    Asking { server: Some(server), patience: Duration::from_millis(150), ..Asking::default() }
}

fn answers(server: SocketAddr, domains: &[&str]) -> (BTreeMap<String, Why>, Option<String>) {
    let mut found = BTreeMap::new();
    let domains = domains.iter().map(|domain| (*domain).to_owned()).collect();
    let trouble = ask(domains, &asking(server), &Silent, &mut |domain, why| {
        assert!(found.insert(domain, why).is_none(), "each domain has one answer");
        Ok(())
    });
    (found, trouble.unwrap().trouble)
}

#[rstest]
#[case::mail_server("mail-server", Why::HasMailServer)]
#[case::own_address("address-alone", Why::HasMailServer)]
#[case::neither("no-records", Why::NoMailServer)]
#[case::null_mx("null-mx", Why::TakesNoMail)]
#[case::missing("missing", Why::NoSuchDomain)]
#[case::server_failure("fails", Why::DnsFailed)]
#[case::refusal("refuses", Why::DnsFailed)]
#[case::silence("silent", Why::DnsFailed)]
#[case::nonsense("nonsense", Why::DnsFailed)]
#[case::an_answer_to_another_question("confused", Why::DnsFailed)]
fn a_domain_is_invalid_only_where_dns_says_so_for_certain(#[case] behaviour: &str, #[case] why: Why) {
    let zone = Zone::from_toml(&format!("\"post.example\" = \"{behaviour}\"")).unwrap();
    let server = DnsServer::begin(zone).unwrap();
    let (found, trouble) = answers(server.address(), &["post.example"]);
    assert_eq!((found["post.example"], trouble), (why, None));
}

#[test]
fn a_server_that_does_not_know_the_internet_makes_no_domain_invalid() {
    let server = DnsServer::begin(Zone { knows_no_root: true, ..Zone::default() }).unwrap();
    let (found, trouble) = answers(server.address(), &["a.example", "b.example"]);
    assert!(found.values().all(|why| why.verdict() == Verdict::Unknown), "{found:?}");
    assert!(trouble.unwrap().contains("does not know the internet"));
    assert_eq!(server.questions(), 1, "one question decides");
}

#[test]
fn where_nobody_answers_that_is_found_out_once() {
    // A port that was free a moment ago.
    let nobody = std::net::UdpSocket::bind((Ipv4Addr::LOCALHOST, 0)).unwrap().local_addr().unwrap();
    let many: Vec<String> = (0..5_000).map(|number| format!("d{number}.example")).collect();
    let many: Vec<&str> = many.iter().map(String::as_str).collect();
    let (found, trouble) = answers(nobody, &many);
    assert_eq!(found.values().filter(|why| **why == Why::DnsFailed).count(), 5_000);
    assert!(trouble.is_some());
}

#[test]
fn a_server_that_goes_silent_is_given_up_and_keeps_what_it_said() {
    let mut zone = Zone::from_toml("\"*\" = \"silent\"").unwrap();
    for number in 0..10 {
        zone.domains.insert(format!("d{number}.example"), pebblebank_standin::dns::Behaviour::MailServer);
    }
    let server = DnsServer::begin(zone).unwrap();
    let many: Vec<String> = (0..2_000).map(|number| format!("d{number}.example")).collect();
    let many: Vec<&str> = many.iter().map(String::as_str).collect();
    let (found, trouble) = answers(server.address(), &many);
    assert_eq!(found.values().filter(|why| **why == Why::HasMailServer).count(), 10);
    assert!(found.values().all(|why| why.verdict() != Verdict::Invalid));
    assert!(trouble.unwrap().contains("stopped answering"));
}

#[test]
fn questions_keep_the_pace_that_is_asked_for_and_each_domain_is_asked_for_once() {
    let server = DnsServer::begin(Zone::from_toml("\"*\" = \"mail-server\"").unwrap()).unwrap();
    let begun = std::time::Instant::now();
    let domains = (0..10).map(|number| format!("d{number}.example")).collect();
    let slowly = Asking { per_second: Some(50), ..asking(server.address()) };
    let mut count = 0;
    ask(domains, &slowly, &Silent, &mut |_, why| {
        assert_eq!(why, Why::HasMailServer);
        count += 1;
        Ok(())
    })
    .unwrap();
    assert_eq!((count, server.questions()), (10, 11), "one for the root");
    assert!(begun.elapsed() >= Duration::from_millis(160), "{:?}", begun.elapsed());
}
