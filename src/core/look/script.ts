import type { Plan, PlannedRoad } from '../plan/plan.ts';

/** First line of what the script prints. */
export const lookFormat = 'mile-marker-look 1';

/** One thing that another machine is asked to look at. @property address dial this; null for what its resolver says */
export interface LookQuestion {
  scheme: 'http' | 'https';
  name: string;
  port: number;
  target: string;
  address: string | null;
}

/** A live connection that another machine is asked to open. */
export type LiveQuestion = Pick<LookQuestion, 'name' | 'port' | 'target'>;

interface ScriptInput {
  plan: Plan;
  roads: readonly PlannedRoad[];
  questions: readonly LookQuestion[];
  live: readonly LiveQuestion[];
}

/**
 * A script for the shell of POSIX (IEEE 1003.1) that asks what `verify` would ask, from where it runs, and prints what came back: one line a
 * fact, bytes in hex. It sends nothing else, and carries no secret. It needs curl and openssl.
 */
export function lookScript({ plan, roads, questions, live }: ScriptInput): string {
  const { https } = plan.front.ports;
  return `#!/bin/sh
# Tests ${String(roads.length)} road${roads.length === 1 ? '' : 's'} from this machine. Run it where visitors are, and bring back what it prints:
#   sh look.sh > seen.txt
#   mile-marker verify --read seen.txt
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
hex() { head -c 32768 "$1" 2>/dev/null | od -An -v -tx1 | tr -d ' \\n'; }
# family scheme name port target [address]
look() {
  echo "ask $1 $2 $3 $4 $5"
  echo "looking at $2://$3" >&2
  : >"$folder/answer"
  curl "-$1" --silent --show-error --insecure --http1.1 --path-as-is --globoff --noproxy '*' --connect-timeout 5 --max-time 10 --include \\
    --user-agent 'mile-marker verify' --output "$folder/answer" \${6:+--resolve "$3:$4:$6"} \\
    --write-out 'from %{local_ip}\\nto %{remote_ip}\\nconnected %{time_connect}\\n' "$2://$3:$4$5" 2>"$folder/error"
  echo "exit $?"
  echo "error $(head -n 1 "$folder/error")"
  echo "bytes $(hex "$folder/answer")"
}
# family name port
shake() {
  echo "shake $1 $2 $3"
  echo "looking at the certificate of $2" >&2
  echo | $limit openssl s_client "-$1" -connect "$2:$3" -servername "$2" -cipher "$any" -alpn h2,http/1.1 -showcerts >"$folder/shaken" 2>&1
  echo "bytes $(hex "$folder/shaken")"
  echo | $limit openssl s_client "-$1" -connect "$2:$3" -servername "$2" -tls1_1 -cipher "$any" >"$folder/old" 2>&1
  echo "old $(sed -n 's/^ *Protocol *: *//p' "$folder/old" | head -n 1) $(sed -n 's/^ *Cipher *: *//p' "$folder/old" | head -n 1)"
  echo | $limit openssl s_client "-$1" -connect "$2:$3" -servername "$2" -tls1_2 -cipher "$weak" >"$folder/weak" 2>&1
  echo "weak $(sed -n 's/^ *Protocol *: *//p' "$folder/weak" | head -n 1) $(sed -n 's/^ *Cipher *: *//p' "$folder/weak" | head -n 1)"
  two=$(curl "-$1" --silent --insecure --http2 --noproxy '*' --connect-timeout 5 --max-time 10 --output /dev/null \\
    --user-agent 'mile-marker verify' --write-out '%{http_version}' "https://$2:$3/" 2>/dev/null)
  echo "two $? $two"
}
# family name port target host: a WebSocket, a ping, and what comes back
live() {
  echo "live $1 $2 $3 $4"
  echo "looking at the live connection of $2" >&2
  {
    printf 'GET %s HTTP/1.1\\r\\nHost: %s\\r\\nConnection: Upgrade\\r\\nUpgrade: websocket\\r\\n' "$4" "$5"
    printf 'Sec-WebSocket-Version: 13\\r\\nSec-WebSocket-Key: dGVybiBvdmVyIHNwaXQuLg==\\r\\nUser-Agent: mile-marker verify\\r\\n\\r\\n'
    sleep 2
    printf '\\211\\200\\000\\000\\000\\000'
    sleep 2
  } | $limit openssl s_client "-$1" -connect "$2:$3" -servername "$2" -quiet -no_ign_eof >"$folder/live" 2>/dev/null
  echo "bytes $(hex "$folder/live")"
}
echo '${lookFormat}'
${questions.map(lookLine).join('\n')}
${roads.flatMap(({ name }) => [4, 6].map((family) => `shake ${String(family)} ${quoted(name)} ${String(https)}`)).join('\n')}
${live.flatMap((one) => liveLines(one, https)).join('\n')}
echo end
`;
}

function lookLine({ scheme, name, port, target, address }: LookQuestion): string {
  const line = (family: 4 | 6): string =>
    [
      'look',
      String(family),
      scheme,
      quoted(name),
      String(port),
      quoted(target),
      ...(address === null ? [] : [address]),
    ].join(' ');
  if (address === null) return [line(4), line(6)].join('\n');
  return line(address.includes(':') ? 6 : 4);
}

function liveLines({ name, port, target }: LiveQuestion, https: number): string[] {
  const host = https === 443 ? name : `${name}:${String(https)}`;
  return [4, 6].map((family) =>
    ['live', String(family), quoted(name), String(port), quoted(target), quoted(host)].join(' '),
  );
}

/** In single quotes nothing is special but the quote itself (IEEE 1003.1 §2.2.2). */
function quoted(text: string): string {
  return `'${text.replaceAll("'", `'\\''`)}'`;
}
