import type { Finding } from '../findings/finding.ts';
import { labelOf } from './label.ts';
import type { ExplainedAway, RoadLegs } from './leg.ts';

/**
 * The outcome in the XML that build servers read (the form of the JUnit Ant task: testsuites, testsuite, testcase, failure, skipped): a suite a road,
 * a case a leg. What is wrong and what is a warning has failed, with the finding that it follows from when it is not told itself; what cannot be
 * told is skipped.
 */
export function junitXml(
  roads: readonly RoadLegs[],
  findings: readonly Finding[],
  away: readonly ExplainedAway[],
): string {
  const suites = roads.map(({ road, legs }) => {
    const cases = legs.map(({ leg, outcome, ...result }) => {
      const says = labelOf(result);
      const open = `    <testcase classname="${escaped(road)}" name="${leg}"`;
      if (outcome === 'ok') return `${open}/>`;
      if (['skipped', 'unsure', 'untested'].includes(outcome))
        return `${open}><skipped message="${escaped(says)}"/></testcase>`;
      const causes = away.filter((one) => one.road === road && one.leg === leg).map(({ by }) => by);
      const own = findings.filter(
        ({ roads: names, leg: met, rule }) => names.includes(road) && (met === leg || causes.includes(rule)),
      );
      const text = own.map(({ message, remedy }) => `${message}\n${remedy}`).join('\n\n');
      return `${open}><failure message="${escaped(says)}">${escaped(text)}</failure></testcase>`;
    });
    const failed = legs.filter(({ outcome }) => outcome === 'wrong' || outcome === 'warning').length;
    const counts = `tests="${String(legs.length)}" failures="${String(failed)}"`;
    return `  <testsuite name="${escaped(road)}" ${counts}>\n${cases.join('\n')}\n  </testsuite>`;
  });
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites name="mile-marker verify">\n${suites.join('\n')}\n</testsuites>\n`;
}

/** XML 1.0 §2.4; characters that it cannot have at all (§2.2) become a question mark. */
function escaped(text: string): string {
  const entities: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
  return text
    .replace(/[^\u0009\u000a\u000d\u0020-\ud7ff\ue000-\ufffd]/gu, '?')
    .replace(/[&<>"]/g, (letter) => entities[letter] ?? letter);
}
