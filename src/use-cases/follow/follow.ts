import { filesOf } from '../../core/gates/check.ts';
import { dirname } from 'node:path';
import { readText } from '../../adapters/files/read-text.ts';
import { stateOf, WatchedFiles } from '../../adapters/files/watched-files.ts';
import { reasonOf, Trouble } from '../../adapters/trouble.ts';
import { absolutePath } from '../../core/plan/absolute-path.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { changesBetween } from '../../core/follow/changes.ts';
import { readMap } from '../../core/map/read-map.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import type { Plan } from '../../core/plan/plan.ts';
import { planFile } from '../../core/proxies/builtin/renderer.ts';
import { programOf } from '../../core/proxies/programs.ts';
import type { HeardEngines } from '../survey/take-inventory.ts';
import { judgeSite, loadSite, type Place, type Site } from '../map/load.ts';
import type { KeptFront } from './kept-front.ts';
import { Rounds, type Pace } from './rounds.ts';
import type { Followed } from './followed.ts';
import { sayProblems } from './say-problems.ts';
import { problemsOf, type Source } from './source.ts';

interface FollowInput {
  /** Absolute path. */
  mapFile: string;
  place: Place;
  source: Source;
  front: Pick<KeptFront, 'takeUp' | 'takeCertificates'>;
  now: () => Date;
  say: (said: Followed) => void;
  signal: AbortSignal;
  pace?: Pace;
}

/** The last step may take so long, also when somebody waits for the end. */
const endMs = 20_000;

/** Keeps a front up to date until `signal` is aborted: containers, the map, and the files that it names. */
export async function follow(input: FollowInput): Promise<void> {
  await new Follower(input).run();
}

class Follower {
  /** The text of the map that counts: the newest that brought no error of its own. */
  private accepted: string | null = null;
  private refused: string | null = null;
  private live: { plan: Plan; text: string; certificates: string; map: SiteMap } | null = null;
  /** What could not be brought live is tried again with the next news, and said again only when it is another. */
  private failed: string | null = null;
  private problems = new Map<string, string>();
  private heard: HeardEngines = { engine: null, machines: new Map() };
  private labels = new Set<string>();
  private readonly files = new WatchedFiles(() => this.rounds.news());
  private readonly rounds: Rounds;

  constructor(private readonly input: FollowInput) {
    this.rounds = new Rounds((since) => this.round(since), input.pace);
  }

  async run(): Promise<void> {
    const { source, signal } = this.input;
    this.files.watch([this.input.mapFile]);
    source.start(() => this.rounds.news());
    try {
      await this.rounds.run(signal, () => source.doubt());
    } finally {
      this.files.stop();
      source.stop();
    }
    await this.leave();
  }

  /** Addresses of container networks are handed out anew, and nobody keeps up with them from now on: those roads answer 502 until somebody does. */
  private async leave(): Promise<void> {
    const { mapFile, place, front, say } = this.input;
    const { live, accepted, heard } = this;
    if (live === null || accepted === null) return;
    const site = await loadSite(mapFile, place, { text: accepted, heard, isFollowed: false });
    if (site.map === null) return;
    const changes = changesBetween(live.plan, site.plan).filter(({ kind }) => kind === 'moved' || kind === 'lost');
    if (changes.length === 0) return;
    const edition = await front.takeUp(site, AbortSignal.timeout(endMs));
    say({ kind: 'left', roads: changes.map(({ road }) => road), edition });
  }

  private async round(since: number): Promise<void> {
    const { source, say, mapFile } = this.input;
    const text = await readText({ path: mapFile, what: 'map' }).catch((error: unknown) => {
      if (error instanceof Trouble) return error;
      throw error;
    });
    // Also one that is not taken up yet: what it leads to may be on a machine that it names.
    const map = mapIn(text) ?? mapIn(this.accepted);
    if (map !== null) source.use(map);
    this.heard = await source.read();
    this.problems = sayProblems(this.problems, problemsOf(this.heard), say);
    // After a reboot the engine may come later than this: by what is not known yet every road would lead nowhere.
    if (this.heard.engine?.facts === null) return;
    const site = await this.siteNow(text);
    if (site === null) return;
    this.files.watch(this.filesOf(site));
    this.sayLabels(site);
    await this.bringLive(site, since);
  }

  /** By the map that counts, with all that exists now; null while there is no such map. */
  private async siteNow(text: string | Trouble): Promise<Site | null> {
    const { mapFile, place } = this.input;
    const { heard } = this;
    if (text instanceof Trouble) this.refuse(text.message, [{ ...unread, message: text.message, remedy: text.remedy }]);
    else if (text !== this.accepted && (await this.isSound(text))) {
      if (this.refused !== null) this.input.say({ kind: 'map-read' });
      this.refused = null;
      this.accepted = text;
    }
    if (this.accepted === null) return null;
    const site = await loadSite(mapFile, place, { text: this.accepted, heard });
    return site.map === null ? null : site;
  }

  /** Whether a map brings no error that the one before did not have, with the same containers. The first only has to be readable. */
  private async isSound(text: string): Promise<boolean> {
    const after = await this.errorsOf(text);
    if (after.map !== null && (this.accepted === null || after.errors.length === 0)) return true;
    const before = this.accepted === null ? [] : (await this.errorsOf(this.accepted)).errors;
    const known = new Set(before.map(same));
    const fresh = after.errors.filter((finding) => !known.has(same(finding)));
    if (after.map !== null && fresh.length === 0) return true;
    this.refuse(text, fresh);
    return false;
  }

  private async errorsOf(text: string): Promise<{ map: SiteMap | null; errors: Finding[] }> {
    const { mapFile, place, now } = this.input;
    const site = await loadSite(mapFile, place, { text, heard: this.heard });
    const findings = site.map === null ? site.findings : await judgeSite(site, { now: now(), env: place.env });
    // A name without a certificate gets the throwaway one, so it stands in nobody's way.
    const errors = findings.filter(({ severity, rule }) => severity === 'error' && rule !== 'no-certificate');
    return { map: site.map, errors };
  }

  private refuse(text: string, findings: Finding[]): void {
    const what = `${text}\n${findings.map(same).join('\n')}`;
    if (what !== this.refused) this.input.say({ kind: 'map-refused', findings });
    this.refused = what;
  }

  private async bringLive(site: Site, since: number): Promise<void> {
    const { front, say } = this.input;
    const { plan, map } = site;
    const text = `${planFile(plan).content}${peopleState(plan)}`;
    const pairs = plan.certificates.flatMap((one) => [one.certificateFile, one.keyFile]);
    const { live } = this;
    const labels = new Map(map.roads.flatMap(({ name, fromLabel }) => (fromLabel === null ? [] : [[name, fromLabel]])));
    const changes = live === null ? [] : changesBetween(live.plan, plan, labels);
    try {
      if (live === null) say({ kind: 'first', roads: plan.roads.length, edition: await front.takeUp(site) });
      else if (live.text !== text) {
        const edition = await front.takeUp(site);
        say({ kind: 'live', changes, edition, afterMs: Date.now() - since });
      } else {
        const what = live.certificates === stateOf(pairs) ? null : await front.takeCertificates(site);
        if (what !== null) say({ kind: 'certificates', what });
        if (changes.length > 0) say({ kind: 'seen', changes });
      }
      // Those that were missing have been made by now.
      this.live = { plan, text, certificates: stateOf(pairs), map };
      this.failed = null;
    } catch (error) {
      if (this.input.signal.aborted) return;
      const problem = reasonOf(error);
      const remedy = error instanceof Trouble ? error.remedy : '';
      if (this.failed !== problem) say({ kind: 'not-live', changes, problem, remedy });
      this.failed = problem;
    }
  }

  private sayLabels({ notObeyed, map }: Site): void {
    const now = new Map(notObeyed.map((label) => [JSON.stringify(label), label]));
    for (const [key, label] of now)
      if (!this.labels.has(key)) this.input.say({ kind: 'label', label, labels: map.labels });
    this.labels = new Set(now.keys());
  }

  private filesOf({ map, plan, mapFile }: Site): string[] {
    const folder = dirname(mapFile);
    return [
      mapFile,
      ...map.compose.map(({ path }) => absolutePath(folder, path)),
      ...map.pages.map(({ path }) => absolutePath(folder, path)),
      ...peopleOf(plan),
      // Each is a link's way: a new pair is a new folder, and the link to it another.
      ...plan.certificates.flatMap(({ certificateFile }) => [certificateFile, dirname(certificateFile)]),
    ];
  }
}

function mapIn(text: string | Trouble | null): SiteMap | null {
  return typeof text === 'string' ? readMap({ file: 'map', text }).map : null;
}

const unread = {
  rule: 'map-unreadable',
  severity: 'error',
  leg: null,
  roads: [],
  cause: 'map',
  where: null,
  evidence: {},
} as const satisfies Partial<Finding>;

/** The same thing wrong with the same roads. */
function same({ rule, roads, message }: Finding): string {
  return `${rule} ${roads.join(',')} ${message}`;
}

function peopleOf({ roads, ports }: Plan): string[] {
  return [...new Set([...roads, ...ports].flatMap(({ gate }) => filesOf(gate)))];
}

/** Where people stand in what is written, another file of them is another thing to bring live. */
function peopleState(plan: Plan): string {
  return programOf(plan.front.proxy).limits.people === 'configuration' ? stateOf(peopleOf(plan)) : '';
}
