import { inUrl } from '../networks/address.ts';
import type { PlannedRoad } from '../plan/plan.ts';
import { shellWord } from '../shell-word.ts';

/** First line of what the script prints. */
export const lookFormat = 'mile-marker-look 1';

/**
 * One thing that another machine is asked to look at.
 *
 * @property address dial this; null for what its resolver says
 * @property host name and port as visitors write them, where they are not those of the question; null where they are
 */
export interface LookQuestion {
  scheme: 'http' | 'https';
  name: string;
  port: number;
  target: string;
  address: string | null;
  host: string | null;
}

/** A live connection that another machine is asked to open. */
export type LiveQuestion = Pick<LookQuestion, 'name' | 'port' | 'target' | 'address'> & { host: string };

/** A handshake to look at. */
type ShakeQuestion = Pick<LookQuestion, 'name' | 'port' | 'address'>;

interface ScriptInput {
  roads: readonly PlannedRoad[];
  questions: readonly LookQuestion[];
  live: readonly LiveQuestion[];
  shakes: readonly ShakeQuestion[];
}

/**
 * A script for the shell of POSIX (IEEE 1003.1) that asks what `verify` would ask, from where it runs, and prints what came back: one line a
 * fact, bytes in hex. It sends nothing else, and carries no secret. It needs curl and openssl.
 */
export function lookScript({ roads, questions, live, shakes }: ScriptInput): string {
  return `#!/bin/sh
# Tests ${String(roads.length)} road${roads.length === 1 ? '' : 's'} from this machine. Run it where visitors are, and bring back what it prints:
#   sh look.sh > seen.txt
#   mile-marker verify --read seen.txt
# Where gates ask for a device, give it one: DEVICE=phone.p12:PASSWORD sh look.sh > seen.txt
set -u
for tool in curl openssl od; do
  command -v "$tool" >/dev/null 2>&1 || { echo "This needs $tool, which is not here." >&2; exit 3; }
done
folder=$(mktemp -d) || exit 3
trap 'rm -rf "$folder"' EXIT
# Suites that this machine's own rules forbid are to be seen too; not every openssl knows the word.
any=DEFAULT@SECLEVEL=0
openssl ciphers "$any" >/dev/null 2>&1 || any=DEFAULT
# Those that no server should take any more.
weak=kRSA:3DES:RC4:ECDHE+SHA:DHE+SHA:@SECLEVEL=0
openssl ciphers "$weak" >/dev/null 2>&1 || weak=kRSA:ECDHE+SHA
# What never answers is not waited for, where this machine can see to that.
limit=
command -v timeout >/dev/null 2>&1 && limit='timeout 15'
# The key of a device stays here; its name alone is printed.
device=
if [ -n "\${DEVICE:-}" ]; then
  # Not among the words of a command, which others on this machine may read.
  password="\${DEVICE#*:}"; export password
  openssl pkcs12 -in "\${DEVICE%%:*}" -passin env:password -nodes -out "$folder/device.pem" 2>"$folder/error" || { cat "$folder/error" >&2; exit 3; }
  device=$(openssl x509 -in "$folder/device.pem" -noout -subject | sed 's/.*CN *= *//')
fi
hex() { head -c 32768 "$1" 2>/dev/null | od -An -v -tx1 | tr -d ' \\n'; }
# family scheme name port target [address] [host]
look() {
  echo "ask $1 $2 $3 $4 $5"
  echo "looking at $2://$3" >&2
  : >"$folder/answer"
  curl "-$1" --silent --show-error --insecure --http1.1 --path-as-is --globoff --noproxy '*' --connect-timeout 5 --max-time 10 --include \\
    --user-agent 'mile-marker verify' --output "$folder/answer" \${6:+--resolve "$3:$4:$6"} \${7:+--header "Host: $7"} \${device:+--cert "$folder/device.pem"} \\
    --write-out 'from %{local_ip}\\nto %{remote_ip}\\nconnected %{time_connect}\\n' "$2://$3:$4$5" 2>"$folder/error"
  echo "exit $?"
  echo "error $(head -n 1 "$folder/error")"
  echo "bytes $(hex "$folder/answer")"
}
# family name port [address]
shake() {
  to=\${4:-$2}
  echo "shake $1 $2 $3"
  echo "looking at the certificate of $2" >&2
  echo | $limit openssl s_client "-$1" -connect "$to:$3" -servername "$2" -cipher "$any" -alpn h2,http/1.1 -showcerts >"$folder/shaken" 2>&1
  echo "bytes $(hex "$folder/shaken")"
  echo | $limit openssl s_client "-$1" -connect "$to:$3" -servername "$2" -tls1_1 -cipher "$any" >"$folder/old" 2>&1
  echo "old $(sed -n 's/^ *Protocol *: *//p' "$folder/old" | head -n 1) $(sed -n 's/^ *Cipher *: *//p' "$folder/old" | head -n 1)"
  echo | $limit openssl s_client "-$1" -connect "$to:$3" -servername "$2" -tls1_2 -cipher "$weak" >"$folder/weak" 2>&1
  echo "weak $(sed -n 's/^ *Protocol *: *//p' "$folder/weak" | head -n 1) $(sed -n 's/^ *Cipher *: *//p' "$folder/weak" | head -n 1)"
  two=$(curl "-$1" \${4:+--resolve "$2:$3:$4"} --silent --insecure --http2 --noproxy '*' --connect-timeout 5 --max-time 10 --output /dev/null \\
    --user-agent 'mile-marker verify' --write-out '%{http_version}' \${device:+--cert "$folder/device.pem"} "https://$2:$3/" 2>/dev/null)
  echo "two $? $two"
}
# family name port target host [address]: a WebSocket, a ping, and what comes back
live() {
  to=\${6:-$2}
  echo "live $1 $2 $3 $4"
  echo "looking at the live connection of $2" >&2
  {
    printf 'GET %s HTTP/1.1\\r\\nHost: %s\\r\\nConnection: Upgrade\\r\\nUpgrade: websocket\\r\\n' "$4" "$5"
    printf 'Sec-WebSocket-Version: 13\\r\\nSec-WebSocket-Key: dGVybiBvdmVyIHNwaXQuLg==\\r\\nUser-Agent: mile-marker verify\\r\\n\\r\\n'
    sleep 2
    printf '\\211\\200\\000\\000\\000\\000'
    sleep 2
  } | $limit openssl s_client "-$1" -connect "$to:$3" -servername "$2" -quiet -no_ign_eof \${device:+-cert "$folder/device.pem" -key "$folder/device.pem"} >"$folder/live" 2>/dev/null
  echo "bytes $(hex "$folder/live")"
}
echo '${lookFormat}'
[ -z "$device" ] || echo "device $device"
${questions.map(lookLine).join('\n')}
${shakes.flatMap(shakeLines).join('\n')}
${live.flatMap(liveLines).join('\n')}
echo end
`;
}

function lookLine({ scheme, name, port, target, address, host }: LookQuestion): string {
  const words = [
    scheme,
    shellWord(name),
    String(port),
    shellWord(target),
    ...(address === null ? [] : [shellWord(inUrl(address))]),
  ];
  const more = host === null ? [] : [shellWord(host)];
  return families(address)
    .map((family) => ['look', family, ...words, ...more].join(' '))
    .join('\n');
}

function shakeLines({ name, port, address }: ShakeQuestion): string[] {
  const words = [shellWord(name), String(port), ...(address === null ? [] : [shellWord(inUrl(address))])];
  return families(address).map((family) => ['shake', family, ...words].join(' '));
}

function liveLines({ name, port, target, host, address }: LiveQuestion): string[] {
  const words = [shellWord(name), String(port), shellWord(target), shellWord(host)];
  const more = address === null ? [] : [shellWord(inUrl(address))];
  return families(address).map((family) => ['live', family, ...words, ...more].join(' '));
}

/** The kind of an address that is dialled; both where the other machine finds it. */
function families(address: string | null): string[] {
  return address === null ? ['4', '6'] : [address.includes(':') ? '6' : '4'];
}
