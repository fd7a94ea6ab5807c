#!/bin/sh
# Holds `check` against a DNS server and a mail server that this project did not write: unbound and opensmtpd, on ports of the
# loopback. Not part of the ordinary tests: both must be installed, and opensmtpd wants root.
#   crates/check/tests/real_servers.sh target/release/pebblebank
set -eu
program=$(realpath "${1:?the built program}")
desk=$(mktemp -d)
cd "$desk"
chmod 755 "$desk"
trap 'kill $unbound $smtpd 2>/dev/null || true; rm -rf "$desk"' EXIT

cat > unbound.conf <<CONF
server:
  interface: 127.0.0.1
  port: 5355
  do-daemonize: no
  username: ""
  chroot: ""
  directory: "$desk"
  pidfile: "$desk/unbound.pid"
  use-syslog: no
  module-config: "iterator"
  do-not-query-localhost: no
  local-zone: "." static
  local-data: ". 3600 IN SOA a.root. b.root. 1 1 1 1 1"
  local-data: ". 3600 IN NS ns.root.example."
  local-data: "larkfold.example. 300 IN MX 10 mx.larkfold.example."
  local-data: "mx.larkfold.example. 300 IN A 127.0.0.2"
  local-data: "quillmere.example. 300 IN A 127.0.0.2"
  local-data: "open.example. 300 IN MX 10 mx.open.example."
  local-data: "mx.open.example. 300 IN A 127.0.0.2"
  local-data: "silent.example. 300 IN MX 0 ."
  local-data: "bare.example. 300 IN TXT nothing"
  local-zone: "refused.example." refuse
CONF

openssl req -x509 -newkey ec -pkeyopt ec_paramgen_curve:prime256v1 -nodes -keyout key.pem -out cert.pem -days 2 -subj /CN=mx.larkfold.example 2>/dev/null
chmod 600 key.pem
printf 'ida@larkfold.example: nobody\nbo@quillmere.example: nobody\n@open.example: nobody\n' > mailboxes
cat > smtpd.conf <<CONF
pki mx.larkfold.example cert "$desk/cert.pem"
pki mx.larkfold.example key "$desk/key.pem"
table mailboxes file:$desk/mailboxes
listen on 127.0.0.2 port 2525 tls pki mx.larkfold.example hostname mx.larkfold.example
action "take" maildir "$desk/mail" virtual <mailboxes>
match from any for domain { "larkfold.example", "quillmere.example", "open.example" } action "take"
CONF

unbound -c unbound.conf 2> unbound.log & unbound=$!
smtpd -d -f smtpd.conf > smtpd.log 2>&1 & smtpd=$!
sleep 3

printf 'email\nida@larkfold.example\nnobody@larkfold.example\nbo@quillmere.example\nanybody@open.example\nx@silent.example\nx@bare.example\nx@gone.example\nx@refused.example\n' > list.csv
XDG_DATA_HOME="$desk" "$program" check list.csv -o found.csv --level mailbox --hello desk.larkfold.example \
  --resolver 127.0.0.1:5355 --mail-port 2525 --per-minute 600 --asks-again 0 --replace
cut -d, -f1-3 found.csv
echo '--- what the mail server heard'
grep -E 'smtp (connected|tls|failed-command|disconnected|message)' smtpd.log || cat smtpd.log
