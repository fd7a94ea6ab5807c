//! Mail servers of every kind, asked for mailboxes: what is certain is told from what is not, and no server can keep the check
//! for long.

use pebblebank_check::dns::Asking;
use pebblebank_check::smtp::{Presenting, Probing, ask};
use pebblebank_standin::dns::{DnsServer, Zone};
use pebblebank_standin::smtp::{MailWorld, SmtpServers};
use pebblebank_table::observe::{Ended, Observer, Silent};
use pebblebank_values::verdict::{Verdict, Why};
use rstest::rstest;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

/// Servers and the DNS that names them.
struct World {
    servers: SmtpServers,
    dns: DnsServer,
}

impl World {
    fn of(toml: &str) -> World {
        let servers = SmtpServers::begin(&MailWorld::from_toml(toml).expect("a table")).expect("a port");
        let zone = Zone::default().with_mail_servers(servers.addresses());
        World { servers, dns: DnsServer::begin(zone).expect("a port") }
    }

    fn probing(&self) -> Probing {
        Probing {
            presenting: Presenting { hello: "desk.example".to_owned(), sender: String::new() },
            port: self.servers.port(),
            at_once: 8,
            per_minute: 6_000,
            patience: Duration::from_secs(2),
            tries: 2,
            wait: Duration::from_millis(300),
        }
    }

    fn ask(&self, addresses: &[&str], probing: &Probing, observer: &dyn Observer) -> (BTreeMap<String, Why>, Ended) {
        let mut by_domain: BTreeMap<String, Vec<String>> = BTreeMap::new();
        for address in addresses {
            let (_, domain) = address.rsplit_once('@').expect("an address");
            by_domain.entry(domain.to_owned()).or_default().push((*address).to_owned());
        }
        let asking = Asking { server: Some(self.dns.address()), patience: Duration::from_secs(1), ..Asking::default() };
        let mut found = BTreeMap::new();
        let ended = ask(by_domain, (&asking, probing), observer, &mut |address, why| {
            assert_eq!(found.insert(address, why), None, "each address has one answer");
            Ok(())
        });
        (found, ended.expect("nothing fails"))
    }

    /// What was said of `ida` and of `hugo`.
    fn two(&self) -> [Option<Why>; 2] {
        let (found, _) = self.ask(&["ida@post.example", "hugo@post.example"], &self.probing(), &Silent);
        ["ida@post.example", "hugo@post.example"].map(|address| found.get(address).copied())
    }
}

/// The server of post.example, which knows ida and not hugo.
fn server(how: &str) -> World {
    World::of(&format!("\"post.example\" = {{ how = \"{how}\", knows = [\"ida\"] }}"))
}

#[rstest]
#[case("answers", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("encrypts", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("only-encrypted", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("only-helo", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("greylists", Why::MailboxExists, Why::NoSuchMailbox)]
// It takes one and refuses the other as it refuses a mailbox that nobody has.
#[case("refuses-unclearly", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("accepts-all", Why::AcceptsAll, Why::AcceptsAll)]
#[case("full", Why::MailboxFull, Why::NoSuchMailbox)]
#[case("disabled", Why::MailboxDisabled, Why::NoSuchMailbox)]
// What came before the encryption began is not believed.
#[case("injects", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("breaks-encryption", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("puts-off", Why::Greylisted, Why::Greylisted)]
#[case("refuses-all", Why::ServerRefuses, Why::ServerRefuses)]
#[case("refuses-senders", Why::ServerRefuses, Why::ServerRefuses)]
#[case("refuses-by-policy", Why::ServerRefuses, Why::ServerRefuses)]
#[case("drops-at-once", Why::ServerFault, Why::ServerFault)]
#[case("drops-midway", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("ends-midway", Why::MailboxExists, Why::NoSuchMailbox)]
#[case("silent", Why::ServerFault, Why::ServerFault)]
#[case("slow", Why::ServerFault, Why::ServerFault)]
#[case("endless-line", Why::ServerFault, Why::ServerFault)]
#[case("endless-reply", Why::ServerFault, Why::ServerFault)]
#[case("nonsense", Why::ServerFault, Why::ServerFault)]
#[case("unreachable", Why::ServerUnreachable, Why::ServerUnreachable)]
fn what_a_mail_server_says_is_told(#[case] how: &str, #[case] ida: Why, #[case] hugo: Why) {
    let world = server(how);
    assert_eq!(world.two(), [Some(ida), Some(hugo)]);
    let sends = world.servers.commands().iter().any(|line| line.to_ascii_uppercase().starts_with("DATA"));
    assert!(!sends);
    // A slow one notices late that its caller is gone.
    assert!(how == "slow" || world.servers.most_at_once() <= 1);
}

#[test]
fn a_server_that_refuses_everybody_without_a_reason_calls_nobody_dead() {
    let world = World::of("\"post.example\" = { how = \"refuses-unclearly\" }");
    assert_eq!(world.two(), [Some(Why::MailboxRefused); 2]);
}

#[test]
fn a_network_that_lets_nothing_out_is_found_out_by_the_first_servers() {
    let domains: Vec<String> = (0..12).map(|number| format!("post{number}.example")).collect();
    let toml: String = domains.iter().map(|domain| format!("\"{domain}\" = {{ how = \"unreachable\" }}\n")).collect();
    let world = World::of(&toml);
    let addresses: Vec<String> = domains.iter().map(|domain| format!("ida@{domain}")).collect();
    let addresses: Vec<&str> = addresses.iter().map(String::as_str).collect();
    let (found, ended) = world.ask(&addresses, &world.probing(), &Silent);
    let count = |why: Why| found.values().filter(|found| **found == why).count();
    assert_eq!((count(Why::ServerUnreachable), count(Why::MailPortBlocked)), (3, 9));
    assert!(ended.trouble.expect("it is said").contains("3 domains were tried and none could be reached"));
}

#[test]
fn servers_that_refuse_every_single_address_are_doubted() {
    let toml: String = (0..3).map(|number| format!("\"post{number}.example\" = {{ knows = [] }}\n")).collect();
    let world = World::of(&toml);
    let addresses = ["ida@post0.example", "ida@post1.example", "ida@post2.example"];
    let (found, ended) = world.ask(&addresses, &world.probing(), &Silent);
    assert!(ended.trouble.expect("it is said").contains("none took a single one"));
    assert!(found.len() == 3 && found.values().all(|why| why.verdict() == Verdict::Unknown), "{found:?}");
}

#[test]
fn a_server_that_takes_somebody_shows_that_the_others_refuse_for_themselves() {
    let toml: String =
        (0..4).map(|number| format!("\"post{number}.example\" = {{ knows = [\"p{number}\"] }}\n")).collect();
    let world = World::of(&toml);
    let addresses = ["ida@post0.example", "ida@post1.example", "ida@post2.example", "p3@post3.example"];
    let (found, ended) = world.ask(&addresses, &world.probing(), &Silent);
    assert_eq!((found["ida@post0.example"], ended.trouble), (Why::NoSuchMailbox, None));
}

#[test]
fn a_long_list_goes_in_several_connections_with_a_few_recipients_each() {
    let world = World::of("\"post.example\" = { knows = [\"p0\", \"p7\", \"p44\"] }");
    let addresses: Vec<String> = (0..45).map(|number| format!("p{number}@post.example")).collect();
    let addresses: Vec<&str> = addresses.iter().map(String::as_str).collect();
    let (found, _) = world.ask(&addresses, &world.probing(), &Silent);
    let exists = found.iter().filter(|(_, why)| **why == Why::MailboxExists).map(|(address, _)| address.as_str());
    assert_eq!(exists.collect::<Vec<_>>(), ["p0@post.example", "p44@post.example", "p7@post.example"]);
    assert_eq!(found.len(), 45);
    let commands = world.servers.commands();
    let of = |verb: &str| commands.iter().filter(|line| line.starts_with(verb)).count();
    assert_eq!((of("EHLO"), of("MAIL"), of("RCPT"), of("QUIT")), (3, 3, 46, 3));
}

#[test]
fn an_address_beyond_ascii_is_not_asked_for_where_the_server_cannot_take_it() {
    let world = server("answers");
    let (found, _) = world.ask(&["zoë@post.example", "ida@post.example"], &world.probing(), &Silent);
    assert_eq!(found["zoë@post.example"], Why::NeedsUtf8);
    assert_eq!(found["ida@post.example"], Why::MailboxExists);
}

/// Wants to stop once it was asked some times.
struct Impatient(AtomicU32);

impl Observer for Impatient {
    fn wants_stop(&self) -> bool {
        self.0.fetch_add(1, Ordering::Relaxed) > 3
    }
}

#[test]
fn whoever_stops_it_keeps_what_was_found() {
    let world = World::of("\"a.example\" = { knows = [\"ida\"] }\n\"post.example\" = { how = \"silent\" }");
    let probing = Probing { patience: Duration::from_secs(60), ..world.probing() };
    let (found, ended) = world.ask(&["ida@a.example", "ida@post.example"], &probing, &Impatient(AtomicU32::new(0)));
    assert!(ended.is_stopped);
    assert_eq!(found.into_iter().collect::<Vec<_>>(), [("ida@a.example".to_owned(), Why::MailboxExists)]);
}

#[rstest]
#[case::that_does_not_know_the_internet("", true)]
#[case::that_says_that_the_domain_is_gone("\"post.example\" = \"missing\"", false)]
#[case::that_says_that_it_takes_no_mail("\"post.example\" = \"null-mx\"", false)]
fn a_dns_server_calls_no_mailbox_dead(#[case] zone: &str, #[case] knows_no_root: bool) {
    let world = World {
        dns: DnsServer::begin(Zone { knows_no_root, ..Zone::from_toml(zone).expect("a table") }).expect("a port"),
        ..server("answers")
    };
    let [ida, hugo] = world.two().map(|why| why.map(Why::verdict));
    assert_eq!((ida, hugo), (Some(Verdict::Unknown), Some(Verdict::Unknown)));
}
