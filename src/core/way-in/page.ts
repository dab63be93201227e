import { shellWord } from '../shell-word.ts';
import { insideAddresses, isOnHost, waysIn, type WayInFacts } from './way-in.ts';

/** What to type into any router, and how to try the firewall without locking oneself out; Markdown. @param rules path of the firewall's file */
export function wayInPage(facts: WayInFacts, rules: string): string {
  const { plan } = facts;
  const rows = waysIn(plan).map(({ what, protocol, outside, inside }) => {
    const to = isOnHost(facts)
      ? 'this machine'
      : insideAddresses(facts).filter(isFour).join(' or ') || 'this machine, at its address at home';
    return `| ${String(outside)} | ${protocol} | ${to} | ${String(inside)} | ${what} |`;
  });
  return `# The way in

Written by Mile Marker. ${isOnHost(facts) ? onHostWords : routerWords}

| outside port | protocol | inside address | inside port | what |
| --- | --- | --- | --- | --- |
${rows.join('\n')}
${ofSix(facts)}
Nothing else: no SSH, no console, no database, no container port. To test which ports are open, run \`mile-marker verify\` from another
network, such as a phone with Wi-Fi off.

## The firewall of this machine

Published container ports bypass the usual input rules, so a port that looks closed may be open.
The rules in \`${oneLine(rules)}\` apply before that. They have their own table and change no other. Load them on trial first, as root. They are
removed automatically if you lock yourself out:

\`\`\`sh
mile-marker install firewall
# If a second session still works, keep them from there, also after a reboot:
mile-marker install firewall --keep
\`\`\`

By hand: \`nft -f ${shellWord(rules)}\` loads them until the next reboot, \`nft delete table inet mile_marker\` removes them.
`;
}

function isFour(address: string): boolean {
  return !address.includes(':');
}

/** Over IPv6 nothing is translated: the router lets through, or it does not (RFC 6092). */
function ofSix(facts: WayInFacts): string {
  const { addresses } = facts.plan.front;
  const six = addresses.filter((address) => !isFour(address));
  if (six.length === 0 || isOnHost(facts)) return '';
  const opened = (['TCP', 'UDP'] as const).flatMap((protocol) => {
    const ports = waysIn(facts.plan).flatMap((way) => (way.protocol === protocol ? [String(way.inside)] : []));
    return ports.length === 0 ? [] : [`${protocol} port ${ports.join(' and ')}`];
  });
  return `
IPv6 is not forwarded. In the firewall of the router open ${opened.join(', and ')} to ${six.join(' and ')}.
`;
}

const routerWords =
  'Forward these ports on the router, which may call it port forwarding, virtual server or NAT. Give this machine a fixed address there.';
const onHostWords =
  "The public address is this machine's own, so there is nothing to forward. A firewall of the provider must let these ports through.";

function oneLine(text: string): string {
  return text.replace(/[\u0000-\u001f\u007f`]/g, '?');
}
