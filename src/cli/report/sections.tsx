import type { Severity } from '../../core/findings/finding.ts';
import type { PhoneLink } from '../../core/legs/links.ts';
import type { Change } from '../../core/report/history.ts';
import type { Report, ReportedCertificate } from '../../core/report/report.ts';
import { accessWords } from '../print/access-words.ts';
import { Code } from './code.tsx';
import { dayOf, moment } from './words.ts';

interface Shown {
  rule: string;
  severity: Severity;
  message: string;
  remedy: string;
}

/** Findings with what to do, errors first as they come. */
export function Findings({ findings }: { findings: readonly Shown[] }) {
  return findings.map(({ rule, severity, message, remedy }) => (
    <div class={`finding ${severity}`}>
      <p>
        <b>{severity}</b> <code>{rule}</code>
      </p>
      <p>{withCode(message)}</p>
      <p>
        <b>do:</b> {withCode(remedy)}
      </p>
    </div>
  ));
}

/** What stands between backticks is to be typed. */
function withCode(text: string) {
  return text.split('`').map((part, index) => (index % 2 === 1 ? <code>{part}</code> : part));
}

/** Who may reach what: the verdict for somebody at each place, and for each of the people. */
export function Reach({ from, reach }: Pick<Report, 'from' | 'reach'>) {
  return (
    <>
      <div class="wide" tabindex={0} role="region" aria-label="The matrix of who may reach what">
        <table>
          <thead>
            <tr>
              <th scope="col">road</th>
              {from.map(({ label }) => (
                <th scope="col">{label}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {reach.map(({ label, cells }) => (
              <tr>
                <th scope="row">{label}</th>
                {cells.map((cell) => (
                  <td class={cell === 'refused' ? 'd' : ''}>{cell === 'refused' ? 'refused' : accessWords[cell]}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p class="soft">
        {from
          .map(
            ({ label, peer, person, word }) =>
              `${label}: ${word !== undefined ? 'let in by the service that is asked' : person === null ? peer : 'with the password, from the internet'}`,
          )
          .join('; ')}
        . Worked out from the map; nothing was sent.
      </p>
    </>
  );
}

/** The days of each certificate in words; the plot beside it shows the same. */
export function Certificates({ certificates, now }: { certificates: readonly ReportedCertificate[]; now: number }) {
  return (
    <div class="wide" tabindex={0} role="region" aria-label="The days of each certificate">
      <table>
        <thead>
          <tr>
            <th scope="col">certificate</th>
            <th scope="col">names</th>
            <th scope="col">renew from</th>
            <th scope="col">ends</th>
            <th scope="col">left</th>
          </tr>
        </thead>
        <tbody>
          {certificates.map(({ id, names, life }) => (
            <tr>
              <th scope="row">{id}</th>
              <td>{someOf(names)}</td>
              {life === null ? (
                <td colspan={3}>
                  none is stored: <code>mile-marker check</code> says how to get it
                </td>
              ) : (
                [
                  <td class="t">{dayOf(new Date(life.renew))}</td>,
                  <td class="t">{dayOf(new Date(life.to))}</td>,
                  <td class={life.to < now ? 't x' : life.renew < now ? 't w' : 't'}>{leftWords(life.to - now)}</td>,
                ]
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function someOf(names: readonly string[]): string {
  const most = 4;
  return names.length <= most
    ? names.join(', ')
    : `${names.slice(0, most).join(', ')} and ${String(names.length - most)} more`;
}

function leftWords(millis: number): string {
  const days = Math.floor(millis / 86_400_000);
  return millis < 0 ? 'ended' : `${String(days)} day${days === 1 ? '' : 's'}`;
}

/** What came and went, run by run. */
export function Changes({ changes }: { changes: readonly Change[] }) {
  return changes.map(({ at, before, come, gone }) => (
    <>
      <h3>{moment(at)}</h3>
      <p class="soft">against {moment(before)}</p>
      <ul>
        {come.map(({ rule, message }) => (
          <li>
            <b class="x">new</b> <code>{rule}</code>: {withCode(message)}
          </li>
        ))}
        {gone.map(({ rule, message }) => (
          <li>
            <b class="c-well">fixed</b> <code>{rule}</code>: {withCode(message)}
          </li>
        ))}
      </ul>
    </>
  ));
}

/** Each address once, with what must be seen by which connection. */
export function Links({ links }: { links: readonly PhoneLink[] }) {
  const byUrl = new Map<string, PhoneLink[]>();
  for (const link of links) byUrl.set(link.url, [...(byUrl.get(link.url) ?? []), link]);
  return (
    <ul class="links">
      {[...byUrl].map(([url, own]) => (
        <li>
          <Code url={url} />
          <div>
            <p>
              <a href={url}>{url}</a>
            </p>
            {own.map(({ on, see }) => (
              <p>
                <b>{on}</b>: {see}
              </p>
            ))}
          </div>
        </li>
      ))}
    </ul>
  );
}
