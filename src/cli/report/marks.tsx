import { roadStates, type RoadState } from '../../core/report/state.ts';

/** The shape of each state, 14 pixels wide around its middle: no two are alike without their colour. */
const shapes: Record<RoadState, string> = {
  well: 'M-5 0a5 5 0 1 0 10 0a5 5 0 1 0 -10 0z',
  wrong: 'M-6 -3.4L-3.4 -6L0 -2.6L3.4 -6L6 -3.4L2.6 0L6 3.4L3.4 6L0 2.6L-3.4 6L-6 3.4L-2.6 0z',
  warning: 'M0 -6L6.4 5.4H-6.4z',
  unsure: 'M0 -6L6 0L0 6L-6 0zM0 -3L-3 0L0 3L3 0z',
  untested: 'M-5.5 0a5.5 5.5 0 1 0 11 0a5.5 5.5 0 1 0 -11 0zM-3.3 0a3.3 3.3 0 1 1 6.6 0a3.3 3.3 0 1 1 -6.6 0z',
  unknown: 'M-2 0a2 2 0 1 0 4 0a2 2 0 1 0 -4 0z',
  paused: 'M-4.5 -5.5h3v11h-3zM1.5 -5.5h3v11h-3z',
};

/** The shapes, once for a page or a drawing. */
export function Shapes() {
  return (
    <defs>
      {roadStates.map((state) => (
        <path id={`m-${state}`} class={`f-${state}`} fill-rule="evenodd" d={shapes[state]} />
      ))}
    </defs>
  );
}

/** A mark in running text; its word stands beside it. */
export function Mark({ state }: { state: RoadState }) {
  return (
    <svg class="mark" viewBox="-7 -7 14 14" aria-hidden="true">
      <use href={`#m-${state}`} />
    </svg>
  );
}
