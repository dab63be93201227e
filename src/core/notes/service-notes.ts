import { byUnits } from '../by-units.ts';
import type { EngineNetwork, Service } from '../inventory/inventory.ts';
import type { NewestRun } from '../legs/journal.ts';
import { groupedBy } from '../grouped-by.ts';
import { ruleNotes } from '../road-rules/road-rules.ts';
import { isLoopback, withPort } from '../networks/address.ts';
import { dialledParts } from '../plan/parts.ts';
import type { Plan, PlannedPart, PlannedRoad } from '../plan/plan.ts';
import type { Upstream } from '../plan/upstream.ts';
import { forwardedHeaders } from '../verdict/forwarded.ts';

interface NotesInput {
  plan: Plan;
  networks: readonly EngineNetwork[];
  newest: NewestRun | null;
}

/** @property file its name, such as `nestcam.md` */
interface ServiceNote {
  file: string;
  text: string;
}

/** How each note begins, by which an earlier one is known. */
export const noteHead =
  '<!-- Mile Marker: notes for a service. `mile-marker write` replaces this file; what you add here is lost. -->';

interface Led {
  road: PlannedRoad;
  part: PlannedPart;
  upstream: Upstream;
}

/** What to set in each service that the map leads to, so that it works behind the front: one note a service. */
export function serviceNotes({ plan, networks, newest }: NotesInput): ServiceNote[] {
  const groups = groupedBy(dialledParts(plan.roads), keyOf);
  const byName = groupedBy([...groups.values()], ([first]) => (first === undefined ? '' : nameOf(first, false)));
  const seen = seenOf(newest);
  return [...byName.values()]
    .flatMap((namesakes) =>
      namesakes.flatMap((led): ServiceNote[] => {
        const [first] = led;
        if (first === undefined) return [];
        const own = nameOf(first, namesakes.length > 1);
        // An engine may call a container whatever it likes.
        return [
          { file: `${own.replace(/[/\u0000-\u001f]/g, '-')}.md`, text: noteOf(own, led, { plan, networks, seen }) },
        ];
      }),
    )
    .sort((a, b) => byUnits(a.file, b.file));
}

/** What the newest run says, by the name of each road that it tested. */
interface Seen {
  at: string;
  legs: ReadonlyMap<string, NewestRun['roads'][number]['legs']>;
  findings: ReadonlyMap<string, NewestRun['findings']>;
}

function seenOf(newest: NewestRun | null): Seen | null {
  if (newest === null) return null;
  const findings = new Map<string, NewestRun['findings']>();
  for (const finding of newest.findings)
    for (const road of new Set(finding.severity === 'note' ? [] : finding.roads))
      findings.set(road, [...(findings.get(road) ?? []), finding]);
  return { at: newest.at, legs: new Map(newest.roads.map(({ road, legs }) => [road, legs])), findings };
}

/** What tells services apart. */
function keyOf({ road, part, upstream }: Led): string {
  const service = part.resolution?.service ?? null;
  return service === null
    ? `road ${road.name} ${upstream.service ?? ''}`
    : `service ${service.project ?? ''} ${service.name}`;
}

/** A service of Compose by its own name, what the map gives by address by its road's. @param isShared another project has a service of this name */
function nameOf({ road, part }: Led, isShared: boolean): string {
  const service = part.resolution?.service ?? null;
  const project = service?.project ?? null;
  const name =
    service === null ? road.display : isShared && project !== null ? `${project}-${service.name}` : service.name;
  return name
    .toLowerCase()
    .replace(/^\*/, 'any')
    .replace(/[^\p{L}\p{N}._-]+/gu, '-')
    .replace(/^[.-]+/, '');
}

interface NoteInput extends Pick<NotesInput, 'plan' | 'networks'> {
  seen: Seen | null;
}

function noteOf(name: string, led: readonly Led[], { plan, networks, seen }: NoteInput): string {
  const [first] = led;
  if (first === undefined) return '';
  const roads = [...new Set(led.map(({ road }) => road))];
  const parts = [
    `# ${first.part.resolution?.service?.name ?? name}`,
    noteHead,
    section('Its public address', publicWords(led)),
    section('The proxy that it must trust', trustWords(first, plan, networks)),
    section('What it gets with each request', headerWords(first, plan)),
    section('When its pages show an internal address', insideWords(first)),
    section('What the front passes to it', passWords(roads, seen)),
    ...seenSection(roads, seen),
  ];
  return `${parts.join('\n\n')}\n`;
}

const section = (title: string, lines: readonly string[]): string => `## ${title}\n\n${lines.join('\n')}`;

function publicWords(led: readonly Led[]): string[] {
  const urls = led.map(({ road, part }) => `https://${road.authority}${part.prefix === '/' ? '/' : part.prefix}`);
  const below = led.filter(({ part }) => part.prefix !== '/');
  return [
    ...urls.map((url) => `- ${url}`),
    '',
    'Set this as its public URL (often called external or base URL). Finish its own setup there, not at an internal address: many programs remember the first',
    'address that they were opened under.',
    ...(below.length === 0
      ? []
      : [
          '',
          `It must know that it lives below ${below.map(({ part }) => `\`${part.prefix}\``).join(' and ')}: the front passes the path on as it came.`,
        ]),
  ];
}

/** From where its connections come, as it sees them. */
function trustWords({ part, upstream }: Led, { front }: Plan, networks: readonly EngineNetwork[]): string[] {
  const service = part.resolution?.service ?? null;
  const from = service === null ? [] : subnetsOf(service, networks);
  const trust = (what: string): string[] => [
    `- ${what}`,
    '',
    'Set exactly this as a trusted proxy: a trusted proxy may claim any visitor address.',
  ];
  if (from.length > 0) {
    const by =
      front.container === null
        ? 'the engine puts the address of its network there'
        : `the front is container \`${front.container}\` there`;
    return trust(`${from.map((subnet) => `\`${subnet}\``).join(', ')} (${by})`);
  }
  if (service !== null && service.networkMode !== 'host')
    return trust(
      'the subnet of its container network: ask the engine (`docker network inspect`), which did not say when this was written',
    );
  if (isLoopback(upstream.host) || service?.networkMode === 'host') return trust('`127.0.0.1`');
  return trust(
    `the address of the front's machine in the network of \`${upstream.host}\`${front.home.length === 0 ? '' : `, such as \`${front.home.join('`, `')}\``}`,
  );
}

function subnetsOf(service: Service, networks: readonly EngineNetwork[]): string[] {
  const own = new Set(service.networks.map(({ name }) => name));
  return networks.filter(({ name }) => own.has(name)).flatMap(({ subnets }) => subnets);
}

function headerWords({ road, upstream }: Led, { front }: Plan): string[] {
  const visitor = '203.0.113.77';
  const headers = Object.entries(forwardedHeaders(road, { known: true, address: visitor }, 'https', front.ports));
  const sent = headers.map(([name, value]) =>
    name === 'host' && upstream.sayHost !== null ? [name, upstream.sayHost] : [name, value],
  );
  return [
    `As a visitor at ${visitor} has it:`,
    '',
    '| header | value |',
    '| --- | --- |',
    ...sent.map(([name, value]) => `| \`${name ?? ''}\` | \`${value ?? ''}\` |`),
    '',
    'The visitor’s address is in `X-Forwarded-For` (one address, from the front alone), and that it is HTTPS in `X-Forwarded-Proto`. What visitors send under these',
    'names does not arrive.',
  ];
}

function insideWords({ road, upstream }: Led): string[] {
  return [
    `Where it redirects or links to \`${withPort(upstream.host, upstream.port)}\`, to a container's name, or to \`http://\`: set its public URL to \`https://${road.authority}/\`, and have it`,
    'trust the proxy above, or it does not believe the headers. Where it refuses the name, add it to the names that it answers to (often called allowed or trusted hosts).',
  ];
}

function passWords(roads: readonly PlannedRoad[], seen: Seen | null): string[] {
  return roads.flatMap((road) => {
    const { rules, gate } = road;
    const live = legOf(seen, road, 'websocket');
    const lines = [
      `- Live connections (WebSockets): passed${live === null ? '' : `; the newest run of verify: ${live}`}.`,
      ...ruleNotes(rules).map((note) => `- ${note}`),
      `- Who may pass: gate \`${gate.name}\`${rules.methods === null ? '' : `, by ${rules.methods.join(', ')} alone`}.`,
    ];
    return roads.length === 1 ? lines : [`${road.display}:`, '', ...lines, ''];
  });
}

function legOf(seen: Seen | null, { name }: PlannedRoad, wanted: string): string | null {
  const leg = seen?.legs.get(name)?.find((one) => one.leg === wanted);
  if (leg === undefined || leg.outcome === 'skipped') return null;
  return leg.outcome === 'ok' ? 'ok' : `${leg.outcome}, ${leg.says}`;
}

function seenSection(roads: readonly PlannedRoad[], seen: Seen | null): string[] {
  if (seen === null || !roads.some(({ name }) => seen.legs.has(name))) return [];
  const own = [...new Set(roads.flatMap(({ name }) => seen.findings.get(name) ?? []))];
  const lines = own.map(({ rule, message, remedy }) => `- ${rule}: ${message} ${remedy}`);
  return [section(`What verify saw on ${seen.at.slice(0, 10)}`, lines.length === 0 ? ['Nothing wrong.'] : lines)];
}
