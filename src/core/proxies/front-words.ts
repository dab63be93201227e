import type { Evidence } from '../findings/finding.ts';
import type { Plan } from '../plan/plan.ts';
import type { Hint, ProxyProgram } from './program.ts';
import { allPrograms, programOf } from './programs.ts';

/**
 * What remedies say of this map's own proxy and this machine: `{live}` brings the map live, `{reload}` what is written already, `{start}`
 * starts the front, `{takeUp}` has it show a new certificate, `{compose}` is the command for Compose files here, `{startService}` starts a service; the rest are settings for a front that somebody made by hand.
 */
export function frontWords({ front }: Pick<Plan, 'front'>, compose: string): Evidence {
  const program = programOf(front.proxy);
  const { words } = program;
  return {
    live: words.goLive(front),
    reload: words.reload(front),
    start: words.start(front),
    takeUp: program.limits.readsCertificatesAnew ? 'mile-marker verify' : words.reload(front),
    compose,
    startService: `${compose} up -d`,
    buffering: hint(program, 'buffering'),
    visitorAddress: hint(program, 'visitor-address'),
    quietLive: hint(program, 'quiet-live'),
    keepHost: hint(program, 'keep-host'),
    keepTarget: hint(program, 'keep-target'),
    passHost: hint(program, 'pass-host'),
    passPath: hint(program, 'pass-path'),
    escapedSlashes: hint(program, 'escaped-slashes'),
    longHeads: hint(program, 'long-answer-heads'),
    earlyHints: hint(program, 'early-hints'),
    uploadLimit: hint(program, 'uploads'),
    tlsVersions: hint(program, 'tls-versions'),
    suites: hint(program, 'tls-suites'),
    listenTls: hint(program, 'listen-tls'),
    websocketHeaders: hint(program, 'websocket'),
    defaultSite: hint(program, 'default-site'),
  };
}

/** In brackets behind a sentence. Where the map's own proxy has no such setting, the front was made by hand for another. */
function hint(own: ProxyProgram, name: Hint): string {
  const known = (own.hints[name] === undefined ? allPrograms : [own]).flatMap(({ title, hints }) =>
    hints[name] === undefined ? [] : [`${title}: ${hints[name]}`],
  );
  return known.length === 0 ? '' : ` (${known.join('; ')})`;
}
