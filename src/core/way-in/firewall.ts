import { checkOf } from '../gates/check.ts';
import type { Plan } from '../plan/plan.ts';
import { inAll } from '../networks/covering.ts';
import { containerPatterns } from '../networks/container-interface.ts';
import { isOnHost, type WayInFacts } from './way-in.ts';

/**
 * Rules for nftables (nft(8)): a table of our own that is replaced whole, and nothing flushed. The one chain stands before
 * destination translation (priority -100), since container engines lead published ports elsewhere there, past all input rules.
 *
 * New connections to this machine pass from home, from its own containers, and to the ports of the front; what is established goes
 * on, so that the SSH session that loads the rules is kept. From elsewhere SSH passes only where the public address is the
 * machine's own, since nobody could get in again otherwise.
 */
export function firewallRules(facts: WayInFacts): string {
  const { home } = facts;
  const [v4, v6] = [
    home.networks.filter((one) => !one.includes(':')),
    home.networks.filter((one) => one.includes(':')),
  ];
  const except = home.except.map(
    (address) => `\t\t${familyWord(address)} saddr ${address} ct state new jump from_outside`,
  );
  return `# Written by Mile Marker. Load: nft -f FILE   Take away: nft delete table inet mile_marker
table inet mile_marker
delete table inet mile_marker
table inet mile_marker {
\tchain from_outside {
\t\t# The ports of the front${isOnHost(facts) ? ', and SSH, since this machine is at the public address itself' : ''}.
${frontLines(facts)}
\t\t# Without these the network itself does not work (RFC 4890; DHCP).
\t\tmeta l4proto { icmp, ipv6-icmp } accept
\t\tudp dport { 68, 546 } accept
\t\tdrop
\t}
\tchain before_translation {
\t\ttype filter hook prerouting priority -150; policy accept;
\t\tct state established,related accept
\t\t# What is only passing through is not ours to judge.
\t\tfib daddr type != local accept
\t\t# This machine itself, and its container networks; not what is only called like one.
${insideLines(facts).join('\n')}
${[...except, ...fromHome('ip', v4), ...fromHome('ip6', v6)].join('\n')}
\t\tjump from_outside
\t}
}
`;
}

function insideLines({ host }: WayInFacts): string[] {
  return ['lo', ...containerPatterns].map((pattern) => {
    const others = host.lookalikes.filter((name) => name.startsWith(pattern.replace('*', '')));
    const but = others.length === 0 ? '' : ` iifname != { ${others.map((name) => `"${name}"`).join(', ')} }`;
    return `\t\tiifname "${pattern}"${but} accept`;
  });
}

/** With an edge in front nobody else has to reach the ports of the front. */
function frontLines(facts: WayInFacts): string {
  const { edge, listen } = facts.plan.front;
  const ports = [...new Set([listen.https, listen.http])].join(', ');
  const ssh = isOnHost(facts) ? [`\t\ttcp dport { ${facts.sshPorts.join(', ')} } accept`] : [];
  const from = edge === null ? [''] : edge.networks.map((network) => `${familyWord(network)} saddr ${network} `);
  const web = from.map((source) => `\t\t${source}tcp dport { ${ports} } accept`);
  return [...web, ...facts.plan.ports.flatMap(rawLines), ...ssh].join('\n');
}

/** A raw port, from where its gate lets somebody in. An edge passes on the web alone. */
function rawLines({ port, protocol, gate }: Plan['ports'][number]): string[] {
  const line = (source: string): string => `\t\t${source}${protocol} dport ${String(port)} accept`;
  // Who is at home has passed already.
  if (gate.parts.some(({ name }) => name === 'home')) return [];
  const near = inAll(gate.parts.map((part) => checkOf(part, 'networks')));
  if (near === null) return [line('')];
  return near.networks.map((network) => line(`${familyWord(network)} saddr ${network} `));
}

function familyWord(address: string): 'ip' | 'ip6' {
  return address.includes(':') ? 'ip6' : 'ip';
}

function fromHome(family: 'ip' | 'ip6', networks: readonly string[]): string[] {
  // One line each: networks that overlap may not stand in one set.
  return networks.map((network) => `\t\t${family} saddr ${network} accept`);
}
