import { card } from '../findings/card.ts';

export const engineUnanswered = card({
  id: 'engine-unanswered',
  severity: 'error',
  summary: 'The container engine does not answer.',
  why: 'Only the engine knows what really runs, on which networks and under which addresses. Without it the Compose files decide.',
  source: 'Engine API v1.41',
  messages: { unanswered: { message: '{problem}', remedy: '{advice}' } },
});
