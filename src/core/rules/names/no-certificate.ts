import { shownAuthority } from '../../certificates/attempts.ts';
import type { HeldCertificate } from '../../certificates/cover.ts';
import { lackOf, realOne, uncovered, type Lack } from '../../certificates/lack.ts';
import { card, tell } from '../../findings/card.ts';
import type { Evidence, Finding } from '../../findings/finding.ts';
import type { PlannedCertificate } from '../../plan/plan.ts';
import { shellWord } from '../../shell-word.ts';
import type { Facts, Rule } from '../rule.ts';
import { roadsShowing } from '../../plan/roads-showing.ts';

const words = card({
  id: 'no-certificate',
  severity: 'error',
  summary: 'A name on the map has no valid certificate.',
  why: 'The front shows a throwaway certificate without names, which every browser refuses.',
  source: 'RFC 9525 §6.3; RFC 5280 §4.1.2.5',
  messages: {
    missing: { message: 'There is no certificate for {names}.', remedy: 'Run: {command}' },
    'other-name': { message: 'The certificate stored for {names} does not cover {missing}.', remedy: 'Run: {command}' },
    ended: {
      message: 'The certificate stored for {names} is not valid now, only from {from} to {to}.',
      remedy: 'Run: {command}',
    },
  },
});

type Say = keyof typeof words.messages;

/** What gets such a certificate. */
export function commandFor({ from, id, files }: PlannedCertificate): string {
  if (from === 'practice') return 'mile-marker certs make';
  if (from === 'acme') return 'mile-marker certs obtain';
  return `mile-marker certs import --as ${id} ${shellWord(files?.certificate ?? 'CERTIFICATE')} ${shellWord(files?.key ?? 'KEY')}`;
}

export const noCertificate: Rule = {
  card: words,
  check: (facts) => {
    const bad = facts.plan.certificates.map((planned) => ({ planned, state: stateOf(planned, facts) }));
    const missing = bad.filter(({ state }) => state === 'missing').map(({ planned }) => planned);
    const others = bad.flatMap(({ planned, state }) =>
      state === null || state === 'missing' ? [] : [tellOf(planned, state, facts)],
    );
    const commands = [...new Set(missing.map(commandFor))];
    return [
      ...commands.map((command) =>
        tellMissing(
          missing.filter((one) => commandFor(one) === command),
          facts,
        ),
      ),
      ...others,
    ];
  },
};

/** All that one command gets is one finding. */
function tellMissing(missing: readonly PlannedCertificate[], { plan }: Facts): Finding {
  const names = missing.flatMap((planned) => planned.names);
  const ids = new Set(missing.map(({ id }) => id));
  const roads = plan.roads.filter(({ certificate }) => ids.has(certificate));
  const [first] = missing;
  const command = first === undefined ? '' : commandFor(first);
  const where = roads.length === 1 ? (roads[0]?.where ?? null) : null;
  const about = { roads: roads.map(({ name }) => name), cause: `certificates:${command}`, where };
  return tell(words, { say: 'missing', data: { names, command }, ...about });
}

/** Who issued it is another finding. */
function stateOf(planned: PlannedCertificate, facts: Facts): Say | null {
  const lack = lackIn(facts, planned);
  return lack === 'practice' || lack === 'other-authority' || lack === 'other-key' ? null : lack;
}

/** Why what is stored for a certificate of the map is not what the map wants. */
export function lackIn(
  { certificates, issuedBy, map, now }: Pick<Facts, 'certificates' | 'issuedBy' | 'map' | 'now'>,
  planned: PlannedCertificate,
): Lack | null {
  const { id } = planned;
  const wanted = map.acme === null ? null : shownAuthority(map.acme.directory);
  return lackOf({ planned, held: certificates.get(id) ?? null, issuedBy: issuedBy.get(id) ?? null, wanted, now });
}

function tellOf(planned: PlannedCertificate, say: Say, facts: Facts): Finding {
  const { id, names } = planned;
  const held = facts.certificates.get(id) ?? null;
  const missing = held === null ? names : uncovered(names, held);
  const dates = { from: day(held?.notBefore), to: day(held?.notAfter) };
  const data: Evidence = { names, missing, ...dates, command: commandFor(planned) };
  return tell(words, { say, data, ...aboutRoads(id, facts) });
}

function aboutRoads(id: string, { plan }: Facts): Pick<Finding, 'roads' | 'where' | 'cause'> {
  const roads = roadsShowing(plan, id);
  return { roads: roads.map(({ name }) => name), where: roads[0]?.where ?? null, cause: `certificate:${id}` };
}

function day(time: number | undefined): string {
  return time === undefined ? '' : new Date(time).toISOString().slice(0, 10);
}

const faults = card({
  id: 'certificate-faulty',
  severity: 'error',
  summary: 'A stored certificate has a fault that visitors will notice.',
  why: 'Some programs accept it and others do not: it works in one browser, but phones and scripts refuse it.',
  source: 'RFC 8446 §4.4.2; RFC 5280 §4.2.1.12; CA/Browser Forum Baseline Requirements §6.1.5',
  messages: {
    order: {
      message: 'The certificates in the file of `{id}` are in the wrong order.',
      remedy: 'Import it again, which sorts them: mile-marker certs import --as {id} FILES',
    },
    incomplete: {
      message: 'The file of `{id}` has only the certificate, without the intermediate certificate of {issuer}.',
      remedy: 'Import it again, together with the intermediate certificate: mile-marker certs import --as {id} FILES',
    },
    key: {
      message: 'The private key of `{id}` does not belong to its certificate.',
      remedy: 'Get both again: {command}',
    },
    'no-key': {
      message: 'The private key of `{id}` is missing or cannot be read.',
      remedy: 'Import it: mile-marker certs import --as {id} FILES. Or run this as the user who owns it.',
    },
    weak: { message: 'The certificate of `{id}` is too weak: {weak}.', remedy: 'Get a new one: {command}' },
    usage: {
      message: 'The certificate of `{id}` is not meant for servers.',
      remedy: 'Get one with the usage "server authentication": {command}',
    },
    open: {
      message: 'The private key of `{id}` can be read by others (mode {mode}).',
      remedy: 'If others use this machine, get a new certificate, too. Close it: chmod 600 {key}',
    },
  },
});

type Fault = keyof typeof faults.messages;

export const certificateFaulty: Rule = {
  card: faults,
  check: (facts) =>
    facts.plan.certificates.flatMap((planned) => {
      const held = realOne(facts.certificates.get(planned.id));
      if (held === null) return [];
      const { id, keyFile } = planned;
      const data: Evidence = {
        id,
        issuer: held.issuer.replace(/\n/g, ', '),
        weak: held.weak,
        mode: held.keyMode === null ? '' : held.keyMode.toString(8).padStart(3, '0'),
        key: shellWord(keyFile),
        command: commandFor(planned),
      };
      const about = aboutRoads(id, facts);
      return faultsOf(held).map((say) => tell(faults, { say, data, ...about, cause: `certificate:${id}:${say}` }));
    }),
};

function faultsOf(held: HeldCertificate): Fault[] {
  const found: Array<[Fault, boolean]> = [
    ['order', !held.inOrder],
    ['incomplete', !held.complete],
    ['key', held.keyFits === false],
    ['no-key', held.keyFits === null],
    ['weak', held.weak !== null],
    ['usage', !held.forServers],
    ['open', held.keyMode !== null && (held.keyMode & 0o077) !== 0],
  ];
  return found.flatMap(([say, is]) => (is ? [say] : []));
}
