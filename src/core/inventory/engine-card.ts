import { card } from '../findings/card.ts';

export const machineUnanswered = card({
  id: 'machine-unanswered',
  severity: 'warning',
  summary: 'The container engine of a machine of the map does not answer.',
  why: 'Only that engine knows what runs there and on which ports. Roads to other machines are not affected.',
  source: 'Engine API v1.41',
  messages: {
    before: {
      message: '{machine}: {problem} What runs there is assumed to be as at {since}.',
      remedy: '{advice} Its roads stay as they are. If the machine is gone for good, lead them elsewhere.',
    },
    never: {
      message: '{machine}: {problem} What runs there is not known.',
      remedy: '{advice}',
    },
  },
});

export const engineUnanswered = card({
  id: 'engine-unanswered',
  severity: 'error',
  summary: 'The container engine does not answer.',
  why: 'Only the engine knows what really runs, on which networks and under which addresses. Without it the Compose files decide.',
  source: 'Engine API v1.41',
  messages: { unanswered: { message: '{problem}', remedy: '{advice}' } },
});
