import type { RecordWay } from './way.ts';

/** A person types what is said; whole publications are printed by the command itself. */
export const byHand: RecordWay = {
  isByHand: true,
  server: null,
  changeProof: ({ act, name, zone, value }, { say }) => {
    say(
      act === 'add'
        ? `Add this record to the zone ${zone}:\n  ${name}. 60 IN TXT "${value}"\n`
        : `Afterwards remove it: ${name}. TXT "${value}"\n`,
    );
    return Promise.resolve();
  },
  changeSets: () => Promise.resolve(),
};
