import { card, tell } from '../findings/card.ts';
import type { Rule } from './rule.ts';

const circle = card({
  id: 'edge-redirect-loop',
  severity: 'error',
  summary: 'The edge speaks plain HTTP to the front, and the front sends plain HTTP to HTTPS.',
  why: 'The edge asks the front over plain HTTP, and the front sends the visitor to HTTPS, which leads to the edge again: "too many redirects".',
  source: 'RFC 9110 §15.4',
  messages: {
    circle: {
      message: 'With `speaks: http` every visitor goes round in a circle on {names}.',
      remedy:
        'Set the edge to speak HTTPS to your front and to check its certificate, then write in the map: speaks: https',
    },
  },
});

export const edgeRedirectLoop: Rule = {
  card: circle,
  check: ({ plan }) => {
    const { edge, where } = plan.front;
    const roads = plan.roads.filter(({ paused }) => !paused).map(({ name }) => name);
    if (edge?.speaks !== 'http' || roads.length === 0) return [];
    const shown =
      roads.length > 4 ? `${roads.slice(0, 4).join(', ')} and ${String(roads.length - 4)} more` : roads.join(', ');
    return [tell(circle, { say: 'circle', data: { names: shown }, roads, where, cause: 'edge:http' })];
  },
};
