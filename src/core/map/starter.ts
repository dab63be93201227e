import { writtenNames, type ProxyName } from '../proxies/names.ts';

/** Where editors that read it find the form of the map; a file beside it, so that it needs no network. */
export const schemaLine = '# yaml-language-server: $schema=.mile-marker/map.schema.json';

/** The text of a first map. Every line of it is either needed or explained; it passes `check` as it stands but for the certificates. */
export function starterMap({
  domain,
  addresses,
  compose,
  proxy = 'builtin',
}: {
  domain: string;
  addresses: readonly string[];
  compose: readonly string[];
  proxy?: ProxyName;
}): string {
  const written = addresses.map((address) => (address.includes(':') ? `"${address}"` : address)).join(', ');
  return `${schemaLine}
# The map: which name leads to which service, through which gate.
# Check it with \`mile-marker check\`. Nothing happens to your services by editing it.

# Your domains. Short names below belong to the first one.
domains: [${domain}]

front:
  # The public address that DNS gives for your names. Where it changes, a name in its place, whose record is kept
  # up to date: \`mile-marker dns update-address\`.
  address: [${written}]
  # The proxy that answers at the front: ${writtenNames.join(' or ')}.
  proxy: ${proxy}
  # The ports as visitors see them.
  ports: {http: 80, https: 443}
  # If your router translates them, the ports as this machine sees them:
  # listen: {http: 8080, https: 8443}
  # What a request for a name that is not below gets: refuse, not-found, or {redirect: URL}.
  unknown: refuse

# Where your services are declared; published ports are read from there.
${compose.length === 0 ? '# compose: [compose.yaml]' : `compose: [${compose.map(quoted).join(', ')}]`}

# One public name a road. The gate is \`home\` unless a road says \`everyone\`:
# only your own networks pass until you open it on purpose.
roads:
  # The short form: a service of the Compose file and the port it listens on inside its container.
  # sightings: bird-log:8080
  #
  # nestcam:
  #   to: nestcam:3000
  #   gate: everyone
  #
  # A port of this machine itself:
  # workbench: :9400
  #
  # Another machine:
  # station: http://192.168.64.9:8080
  #
  # The bare domain, sent on; path and query are kept:
  # ${domain}:
  #   redirect: https://www.${domain}
  #   gate: everyone
`;
}

function quoted(path: string): string {
  return /^[A-Za-z0-9/._-]+$/.test(path) ? path : JSON.stringify(path);
}
