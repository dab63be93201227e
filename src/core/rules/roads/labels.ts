import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import type { LabelNotObeyed } from '../../labels/labelled-roads.ts';
import type { MapLabels } from '../../map/site-map.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'label-not-obeyed',
  severity: 'warning',
  summary: 'A container asks for a road by its label, but gets none.',
  why: 'The container has no road. Labels make roads only where the map allows it.',
  source: 'map reference: labels',
  messages: {
    unreadable: {
      message: 'The label `mile-marker.road` of `{service}` is not understood.',
      remedy: 'Write in it: {name: NAME, port: PORT, gate: GATE}. Only the name is required.',
    },
    'name-missing': {
      message: 'The label `mile-marker.road` of `{service}` has no name.',
      remedy: 'Write in it: {name: NAME.{obey}}',
    },
    'name-wrong': {
      message: '`{service}` asks for a road at `{text}`, which cannot be the name of a road of this map.',
      remedy: 'Write in its label: {name: NAME.{obey}}',
    },
    'name-elsewhere': {
      message: '`{service}` asks for a road at {text}, where the map allows no labels.',
      remedy: 'Write in its label a full name below {obey}. Or put the road on the map yourself.',
    },
    'on-map': {
      message: '`{service}` asks for a road at {text}, which is on the map already. The map wins.',
      remedy: 'Write another name in its label, or remove the label.',
    },
    double: {
      message: '`{service}` asks for a road at {text}, which the label of `{other}` has.',
      remedy: 'Write another name in one of the two labels.',
    },
    'gate-unknown': {
      message: '`{service}` asks for the gate `{text}`, which the map does not have.',
      remedy: 'Write in its label one of: {gates}.',
    },
    'gate-wider': {
      message: '`{service}` asks for the gate `{text}`, which the map lets no label have.',
      remedy: 'Leave `gate` out of its label, for `home`. Or let labels have it, in the map: labels: {gates: [{text}]}',
    },
    'port-missing': {
      message: '`{service}` asks for a road, but says no port.',
      remedy: 'Write in its label the port inside the container: {port: PORT}',
    },
    ports: {
      message: '`{service}` asks for a road, and has several ports: {ports}.',
      remedy: 'Write in its label which one: {port: {first}}',
    },
    tls: {
      message: '`{service}` asks for a road to its port {text}, where it speaks TLS.',
      remedy: 'Put the road on the map, with the certificate to check: to: https://HOST:PORT, and upstream-ca.',
    },
    'not-web': {
      message: '`{service}` asks for a road, but {text}.',
      remedy: 'If it is meant so, put the road on the map yourself: mile-marker add NAME SERVICE:PORT',
    },
  },
});

export const labelNotObeyed: Rule = {
  card: words,
  check: ({ map: { labels }, notObeyed }) => notObeyed.map((label) => findingOf(label, labels)),
};

function findingOf({ service, why }: LabelNotObeyed, labels: MapLabels | null): Finding {
  const { say } = why;
  const ports = 'ports' in why ? why.ports.map(String) : [];
  const data = {
    service,
    obey: labels?.obey[0] ?? '',
    gates: ['home', ...(labels?.gates ?? [])],
    text: 'text' in why ? why.text : '',
    other: 'other' in why ? why.other : '',
    ports,
    first: ports[0] ?? '',
  };
  const severity = say === 'on-map' ? 'note' : 'warning';
  return tell(words, { say, data, severity, where: labels?.where ?? null, cause: `label:${service}` });
}

/** The same in one line. */
export function notObeyedWords(label: LabelNotObeyed, labels: MapLabels | null): string {
  const { message, remedy } = findingOf(label, labels);
  return `${message} do: ${remedy}`;
}
