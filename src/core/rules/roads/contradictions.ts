import { checkOf } from '../../gates/check.ts';
import { card, tell } from '../../findings/card.ts';
import type { Finding } from '../../findings/finding.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'road-contradicts-itself',
  severity: 'warning',
  summary: 'Two keys of a road contradict each other, so one of them has no effect.',
  why: 'Browsers only say "blocked", far from where it was written.',
  source: 'Fetch standard, CORS protocol; RFC 9110 §15.5.6',
  messages: {
    preflight: {
      message: '`{road}` has `cors`, but its `methods` leave out OPTIONS, with which browsers ask first.',
      remedy: 'Add OPTIONS to `methods`.',
    },
    methods: {
      message: '`{road}` allows {methods} to other origins by `cors`, but its `methods` refuse them.',
      remedy: 'Add them to `methods`, or remove them from `cors`.',
    },
    password: {
      message: '`{road}` asks for a password, but its `cors` does not allow pages to send one.',
      remedy: 'Write `credentials: true` under `cors`, and name the origins.',
    },
    folder: {
      message: '`{road}` shows a folder, which accepts only GET and HEAD, but its `methods` name {methods}.',
      remedy: 'Remove them from `methods`.',
    },
    get: { message: '`{road}` refuses GET, which every page needs.', remedy: 'Add GET to `methods`.' },
  },
});

export const roadContradicts: Rule = {
  card: words,
  check: ({ plan }) => plan.roads.flatMap(contradictions),
};

function contradictions(road: PlannedRoad): Finding[] {
  const { methods, cors } = road.rules;
  const findings: Finding[] = [];
  const say = (message: keyof typeof words.messages, more: Record<string, string | string[]> = {}): void => {
    const cause = `contradiction:${road.name}:${message}`;
    findings.push(
      tell(words, {
        say: message,
        data: { road: road.display, ...more },
        cause,
        roads: [road.name],
        where: road.where,
      }),
    );
  };
  if (methods !== null && cors !== null) {
    if (!methods.includes('OPTIONS')) say('preflight');
    const refused = cors.methods.filter((method) => !methods.includes(method));
    if (refused.length > 0) say('methods', { methods: refused });
  }
  if (
    cors !== null &&
    !cors.credentials &&
    road.gate.parts.some((part) => checkOf(part, 'people') !== null && part.need === 'all')
  )
    say('password');
  const odd = (methods ?? []).filter((method) => !['GET', 'HEAD', 'OPTIONS'].includes(method));
  if (odd.length > 0 && road.parts.every(({ leads }) => leads.kind === 'folder')) say('folder', { methods: odd });
  if (methods !== null && !methods.includes('GET')) say('get');
  return findings;
}
