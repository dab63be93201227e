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
  at?: number;
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
  },
  undo: { yes: { part: asked }, trial: { part: ['firewall'] } },
  set: { reload: { part: ['gate'], at: 1 } },
  survey: {
    yes: { needs: ['add'] },
    from: { needs: ['free'] },
    add: { not: ['ports', 'free'] },
    ports: { not: ['free'] },
  },
  roads: { tree: { not: ['why', 'json'] }, why: { not: ['json'] } },
  explain: { from: oneRequest, as: oneRequest, method: oneRequest, header: oneRequest },
  write: { diff: { not: ['json'] }, cluster: { not: ['out'] } },
  'dns records': { zone: { not: ['hosts', 'json'] }, hosts: { not: ['json'] } },
  verify: {
    since: notPrinted,
    junit: notPrinted,
    notify: notPrinted,
    verbose: notPrinted,
    failOn: notPrinted,
    login: notPrinted,
    openPorts: notPrinted,
    trust: notPrinted,
    resolver: { not: ['script', 'links', 'read'] },
    frontLog: { not: ['script', 'links', 'read'] },
    timeout: { not: ['script'] },
    parallel: { not: ['script'] },
    json: { not: ['script'] },
  },
  report: { refresh: { not: ['svg'] } },
};

/** Refuses what would be taken and not used. @throws Trouble `option-not-used` */
export function assertUsed(command: Command): void {
  const name = nameOf(command);
  for (const option of command.options) {
    const attribute = option.attributeName();
    if (!isGiven(command, attribute)) continue;
    const shown = option.negate ? (option.long ?? '') : (option.long ?? option.flags);
    const why = whyUnused(optionUses[name]?.[attribute], command);
    if (why === null) continue;
    throw new Trouble({
      code: 'option-not-used',
      message: `\`${name}\` does not use ${shown} ${why}.`,
      remedy: `Leave ${shown} out, or see what it is for: mile-marker ${name} --help`,
      exitCode: 2,
    });
  }
}

function nameOf(command: Command): string {
  const above = command.parent;
  return above === null || above.parent === null ? command.name() : `${above.name()} ${command.name()}`;
}

function isGiven(command: Command, attribute: string): boolean {
  return command.getOptionValueSource(attribute) === 'cli';
}

function whyUnused(use: OptionUse | undefined, command: Command): string | null {
  if (use === undefined) return null;
  const { part, at = 0, needs, not = [] } = use;
  const said = String(command.processedArgs[at] ?? '');
  if (part !== undefined && !part.includes(said)) return said === '' ? 'here' : `with ${said}`;
  if (needs !== undefined && !needs.some((one) => isGiven(command, one)))
    return `without ${needs.map((one) => flagOf(command, one)).join(' or ')}`;
  const beside = not.find((one) => isGiven(command, one));
  return beside === undefined ? null : `together with ${flagOf(command, beside)}`;
}

function flagOf({ options }: Command, attribute: string): string {
  return options.find((option) => option.attributeName() === attribute)?.long ?? attribute;
}
