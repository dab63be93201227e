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

export interface ScriptInput {
  plan: Plan;
  roads: readonly PlannedRoad[];
  questions: readonly LookQuestion[];
}

/**
 * A script for the shell of POSIX (IEEE 1003.1) that asks what `verify` would ask, from where it runs, and prints what came back: one line a
 * fact, bytes in hex. It sends nothing else, and carries no secret. It needs curl and openssl.
 */
export function lookScript({ plan, roads, questions }: ScriptInput): string {
  const { https } = plan.front.ports;
  return `#!/bin/sh
# Looks at ${String(roads.length)} road${roads.length === 1 ? '' : 's'} from this machine. Run it where visitors are, and bring back what it prints:
#   sh look.sh > seen.txt
#   mile-marker verify --read seen.txt
set -u
for tool in curl openssl od; do
  command -v "$tool" >/dev/null 2>&1 || { echo "This needs $tool, which is not here." >&2; exit 3; }
done
folder=$(mktemp -d) || exit 3
trap 'rm -rf "$folder"' EXIT
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
  echo | openssl s_client "-$1" -connect "$2:$3" -servername "$2" -showcerts >"$folder/shaken" 2>&1
  echo "bytes $(hex "$folder/shaken")"
  echo | openssl s_client "-$1" -connect "$2:$3" -servername "$2" -tls1_1 -cipher DEFAULT@SECLEVEL=0 >"$folder/old" 2>&1
  echo "old $(sed -n 's/^ *Protocol *: *//p' "$folder/old" | head -n 1) $(sed -n 's/^ *Cipher *: *//p' "$folder/old" | head -n 1)"
}
echo '${lookFormat}'
${questions.map(lookLine).join('\n')}
${roads.flatMap(({ name }) => [4, 6].map((family) => `shake ${String(family)} ${quoted(name)} ${String(https)}`)).join('\n')}
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

/** In single quotes nothing is special but the quote itself (IEEE 1003.1 §2.2.2). */
function quoted(text: string): string {
  return `'${text.replaceAll("'", `'\\''`)}'`;
}
