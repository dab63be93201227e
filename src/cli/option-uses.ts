import type { Command } from 'commander';
import { Trouble } from '../adapters/trouble.ts';

/**
 * In which form of its command an option is used. What is not used is refused: somebody counts on it.
 *
 * @property part values of an argument of the command, the first one unless `at` says otherwise @property needs one of these options beside it
 * @property not none of these beside it
 */
interface OptionUse {
  part?: readonly string[];
  at?: number | 'any';
  needs?: readonly string[];
  not?: readonly string[];
}

const asked = ['front', 'service', 'follow', 'timers'];
const ofFront: OptionUse = { part: ['front'], not: ['closing'] };
const notPrinted: OptionUse = { not: ['script', 'links'] };
const oneRequest: OptionUse = { not: ['all'] };

/** By command and option, as the library calls them; an option that does not stand here is used in every form of its command. */
export const optionUses: Readonly<Record<string, Readonly<Record<string, OptionUse>>>> = {
  install: {
    yes: { part: asked, not: ['closing'] },
    json: { part: asked },
    proxy: ofFront,
    despite: ofFront,
    replace: ofFront,
    keepEditions: ofFront,
    rehearsal: ofFront,
    closing: { part: ['front'] },
    minutes: { part: ['firewall'], not: ['keep'] },
    keep: { part: ['firewall'] },
    show: { part: ['service', 'follow', 'timers'] },
    then: { part: ['timers'] },
    notify: { part: ['timers'] },
    mail: { part: ['timers'] },
    login: { part: ['timers'] },
    trust: { part: ['timers'] },
  },
  undo: { yes: { part: asked }, trial: { part: ['firewall'] } },
  set: { reload: { part: ['gate'], at: 'any' } },
  survey: {
    yes: { needs: ['add'] },
    from: { needs: ['free'] },
    add: { not: ['ports', 'free'] },
    ports: { not: ['free'] },
  },
  roads: { tree: { not: ['why', 'json'] }, why: { not: ['json'] } },
  explain: {
    from: oneRequest,
    as: oneRequest,
    device: oneRequest,
    method: oneRequest,
    header: oneRequest,
    allSteps: oneRequest,
  },
  write: { diff: { not: ['json'] }, cluster: { not: ['out'] } },
  'dns records': { zone: { not: ['hosts', 'json'] }, hosts: { not: ['json'] } },
  verify: {
    links: { not: ['script'] },
    read: { not: ['script', 'links'] },
    watch: { not: ['script', 'links', 'read'] },
    at: { not: ['links'] },
    // Another machine asks as any visitor does.
    fromAddress: { not: ['script', 'read'] },
    login: { not: ['script', 'links', 'read'] },
    openPorts: { not: ['script', 'links', 'read'] },
    thorough: { not: ['script', 'links', 'read'] },
    since: notPrinted,
    junit: notPrinted,
    notify: notPrinted,
    mail: { needs: ['since'] },
    verbose: notPrinted,
    failOn: notPrinted,
    trust: notPrinted,
    resolver: { not: ['script', 'links', 'read'] },
    frontLog: { not: ['script', 'links', 'read'] },
    timeout: { not: ['script'] },
    parallel: { not: ['script'] },
    json: { not: ['script'] },
  },
  report: { refresh: { not: ['svg'] } },
};

/** Refuses what would be taken and not used. @throws Trouble `option-not-used`, `options-apart` */
export function assertUsed(command: Command): void {
  const name = nameOf(command);
  for (const option of command.options) {
    const attribute = option.attributeName();
    const use = optionUses[name]?.[attribute];
    if (use === undefined || !isGiven(command, attribute)) continue;
    // `--no-reload` has the attribute of `--reload`; where there are both, either may have been said.
    const shown = option.long ?? option.flags;
    const beside = (use.not ?? []).find((one) => isGiven(command, one));
    if (beside !== undefined) throw apart(flagOf(command, beside), shown);
    const form = formWithout(use, name, command);
    if (form !== null) throw unused(shown, form, name);
  }
}

function apart(first: string, second: string): Trouble {
  return new Trouble({
    code: 'options-apart',
    message: `${first} and ${second} cannot be combined.`,
    remedy: 'Use one of them.',
    exitCode: 2,
  });
}

function unused(shown: string, form: string, name: string): Trouble {
  return new Trouble({
    code: 'option-not-used',
    message: `\`${form}\` does not use ${shown}.`,
    remedy: `Leave it out. Its use: mile-marker ${name} --help`,
    exitCode: 2,
  });
}

function nameOf(command: Command): string {
  const above = command.parent;
  return above === null || above.parent === null ? command.name() : `${above.name()} ${command.name()}`;
}

function isGiven(command: Command, attribute: string): boolean {
  return command.getOptionValueSource(attribute) === 'cli';
}

/** The form in which a command is called, where an option is not used in it; else null. */
function formWithout({ part, at = 0, needs }: OptionUse, name: string, command: Command): string | null {
  const words = command.processedArgs.map((one) => String(one ?? ''));
  const said = at === 'any' ? (words.find((one) => part?.includes(one)) ?? words[1] ?? '') : (words[at] ?? '');
  if (part !== undefined && !part.includes(said)) return at === 0 ? `${name} ${said}`.trim() : `${name} … ${said}`;
  if (needs === undefined || needs.some((one) => isGiven(command, one))) return null;
  return `${name} without ${needs.map((one) => flagOf(command, one)).join(' or ')}`;
}

function flagOf({ options }: Command, attribute: string): string {
  return options.find((option) => option.attributeName() === attribute)?.long ?? attribute;
}
