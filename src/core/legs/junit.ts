import type { Finding } from '../findings/finding.ts';
import type { RoadLegs } from './leg.ts';

/**
 * The outcome in the XML that build servers read (the form of the JUnit Ant task: testsuites, testsuite, testcase, failure, skipped): a suite a road,
 * a case a leg. What is wrong and what is a warning has failed; what cannot be told is skipped.
 */
export function junitXml(roads: readonly RoadLegs[], findings: readonly Finding[]): string {
  const suites = roads.map(({ road, legs }) => {
    const cases = legs.map(({ leg, outcome, says }) => {
      const open = `    <testcase classname="${escaped(road)}" name="${leg}"`;
      if (outcome === 'ok') return `${open}/>`;
      if (outcome === 'skipped' || outcome === 'unsure')
        return `${open}><skipped message="${escaped(says)}"/></testcase>`;
      const own = findings.filter((finding) => finding.leg === leg && finding.roads.includes(road));
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
