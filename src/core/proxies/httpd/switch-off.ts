import type { SwitchedOff, ToSwitchOff } from '../program.ts';
import { commentedOut } from '../switched-off.ts';
import { ownHeader } from './quote.ts';
import { directivesOf, type Directive } from './tree.ts';

/**
 * A file of httpd with those virtual hosts turned into comments that answer names of a map on its ports. One without a name stays: it answers only where
 * nobody else does.
 *
 * @returns why not, where a virtual host answers something else, too
 */
export function switchOff(text: string, { covers, ports, leaves = false }: ToSwitchOff): SwitchedOff {
  if (text.startsWith(ownHeader)) return { why: 'Mile Marker wrote it, for another map' };
  const directives = directivesOf(text, '');
  const hosts = hostsIn(directives).filter(
    (one) => one.args.some((address) => isOn(address, ports)) && namesOf(one).some(covers),
  );
  // It listens by lines of their own, whatever it serves there.
  const lines = leaves ? listensIn(directives, ports) : [];
  if (hosts.length + lines.length === 0) return { why: 'nothing in it is in the way of this map' };
  for (const host of hosts) {
    const others = namesOf(host).filter((name) => !covers(name));
    const also = `also answers ${others.join(', ')}, which the map does not have`;
    if (others.length > 0) return { why: `its virtual host on line ${String(host.line)} ${also}` };
  }
  return { text: commentedOut(text, [...hosts, ...lines]), servers: hosts.length };
}

/** Also within conditions (`<IfModule>`). */
function hostsIn(directives: readonly Directive[]): Directive[] {
  return directives.flatMap((one) => (one.name === 'virtualhost' ? [one] : hostsIn(one.block ?? [])));
}

/** Also within conditions. */
function listensIn(directives: readonly Directive[], ports: readonly number[]): Directive[] {
  return directives.flatMap((one) => {
    if (one.name !== 'listen') return listensIn(one.block ?? [], ports);
    const port = Number(/(?:^|:)(\d+)$/.exec(one.args[0] ?? '')?.[1]);
    return ports.includes(port) ? [one] : [];
  });
}

/** `*:443`, `[2001:db8::1]:443`, `_default_:443`; without a port it is on all. */
function isOn(address: string, ports: readonly number[]): boolean {
  const port = /(?:^|[^:]|\]):(\d+|\*)$/.exec(address)?.[1];
  return port === undefined || port === '*' || ports.includes(Number(port));
}

/** ServerName may have a scheme and a port (httpd manual, core, "ServerName"). */
function namesOf({ block }: Directive): string[] {
  return (block ?? [])
    .flatMap(({ name, args }) => (name === 'servername' || name === 'serveralias' ? args : []))
    .map((one) =>
      one
        .toLowerCase()
        .replace(/^https?:\/\//, '')
        .replace(/:\d+$/, ''),
    );
}
