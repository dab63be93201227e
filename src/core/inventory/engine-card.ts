import { card } from '../findings/card.ts';

export const engineUnanswered = card({
  id: 'engine-unanswered',
  severity: 'error',
  summary: 'The container engine gives no answer.',
  why: 'What really runs, on which networks and under which addresses, is known to it alone. A warning when nobody named it: then the Compose files are gone by.',
  source: 'Engine API v1.41',
  messages: { unanswered: { message: '{problem}', remedy: '{advice}' } },
});
