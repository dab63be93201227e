import { tell } from '../findings/card.ts';
import type { Finding, Place } from '../findings/finding.ts';
import { readYaml, type YamlText } from '../yaml/document.ts';
import { parseLongPort, parseShortPort } from './compose-ports.ts';
import { interpolate } from './interpolate.ts';
import { composeDollar, composeNotFollowed, composeUnreadable, composeValue } from './compose-cards.ts';
import { readNetworks, readText, readTexts, type NetworkNames } from './compose-keys.ts';
import type { NetworkJoin, PortMapping, PublishedPort, Service } from './inventory.ts';

export interface ComposeInput {
  file: string;
  text: string;
  /** Project name when the file does not say one: by the specification the folder's name. */
  project: string;
  variables: Readonly<Record<string, string>>;
}

/** A service of which another one takes over what it does not say itself. `file` is null for the same file. */
interface Base {
  file: string | null;
  service: string;
  where: Place;
}

export interface ReadService extends Service {
  project: string;
  base: Base | null;
}

/** Keys whose lists are appended to those of earlier files, unless a tag says otherwise. */
const listKeys = ['ports', 'expose', 'networks', 'profiles', 'volumes', 'labels'] as const;

/** Files that are taken in as they stand, each group with a project folder of its own when the file says so. */
export interface Include {
  paths: string[];
  projectFolder: string | null;
  where: Place;
}

/** @property project the name that the file gives, else the one it was read with */
interface ComposeFile {
  project: string;
  services: ReadService[];
  includes: Include[];
  findings: Finding[];
}

/** Reads the services of one Compose file with the ports they publish. Values are interpolated, keys are not. */
export function readCompose({ file, text, project, variables }: ComposeInput): ComposeFile {
  const yaml = readYaml({ file, text });
  if (yaml.problems.length > 0) {
    const findings = yaml.problems.map(({ say, data, where }) => tell(composeUnreadable, { say, data, where }));
    return { project, services: [], includes: [], findings };
  }
  const reader = new Reader(yaml, variables);
  const top = reader.mapAt([], yaml.value);
  const name = typeof top['name'] === 'string' ? reader.filled(top['name'], ['name']) : project;
  const includes = reader.includes(top['include']);
  const networkNames = reader.networkNames(reader.mapAt(['networks'], top['networks']), name);
  const services = Object.entries(reader.mapAt(['services'], top['services'])).map(([key, value]) =>
    reader.service(key, reader.mapAt(['services', key], value), { project: name, networkNames }),
  );
  if (top['services'] === undefined) reader.oldForm(top);
  reader.dollars();
  return { project: name, services, includes, findings: reader.findings };
}

class Reader {
  readonly findings: Finding[] = [];
  private portsLeft = mostPorts;

  constructor(
    private readonly yaml: YamlText,
    private readonly variables: Readonly<Record<string, string>>,
  ) {}

  add(finding: Finding): void {
    this.findings.push(finding);
  }

  mapAt(path: PropertyKey[], value: unknown): Record<string, unknown> {
    if (typeof value === 'object' && value !== null && !Array.isArray(value)) return value as Record<string, unknown>;
    if (value !== undefined && value !== null) {
      const data = { key: path.join('.'), text: this.yaml.textAt(path) };
      this.add(tell(composeUnreadable, { say: 'services', data, where: this.yaml.placeOf(path) }));
    }
    return {};
  }

  /** A file whose services stand at the top level: nothing of it would be found, and nothing said. */
  oldForm(top: Record<string, unknown>): void {
    const isService = (value: unknown): boolean =>
      typeof value === 'object' && value !== null && ('image' in value || 'build' in value);
    const first = Object.keys(top).find((key) => isService(top[key]));
    if (first === undefined) return;
    this.add(tell(composeUnreadable, { say: 'old-form', data: { key: first }, where: this.yaml.placeOfKey([first]) }));
  }

  service(
    name: string,
    keys: Record<string, unknown>,
    { project, networkNames }: { project: string; networkNames: NetworkNames },
  ): ReadService {
    const path = ['services', name];
    const where = this.yaml.placeOfKey(path);
    const ports = this.listAt([...path, 'ports'], keys['ports']);
    const expose = this.listAt([...path, 'expose'], keys['expose']);
    const published = ports.flatMap((entry, index) => this.port(name, entry, [...path, 'ports', index]));
    const text = (key: string): string | null => readText(keys[key], (one) => this.filled(one, [...path, key]));
    const networkMode = text('network_mode');
    const networks = this.networksOf(name, keys, networkNames, networkMode);
    const written = text('restart');
    const restart = written === 'no' || written === 'false' ? null : (written ?? restartOf(keys['deploy']));
    return {
      cluster: null,
      machine: null,
      project,
      name,
      containerName: text('container_name'),
      image: text('image'),
      published,
      exposed: expose.flatMap((entry, index) => this.exposed(entry, [...path, 'expose', index])),
      networks,
      networkMode: networkMode === 'bridge' || networkMode === 'default' ? null : networkMode,
      restart,
      profiles: readTexts(keys['profiles']),
      labels: this.labels([...path, 'labels'], keys['labels']),
      mounts: this.mounts([...path, 'volumes'], keys['volumes']),
      declared: {
        files: [],
        where,
        portsWhere: keys['ports'] === undefined ? where : this.yaml.placeOfKey([...path, 'ports']),
        restart,
        published,
        networks,
      },
      containers: [],
      replaces: listKeys.filter((key) => keys[key] !== undefined && this.isReplaced([...path, key])),
      base: this.base([...path, 'extends'], keys['extends']),
    };
  }

  /** Real names of the file's networks: its own carry the project's name, external ones do not. */
  networkNames(networks: Record<string, unknown>, project: string): NetworkNames {
    const fill = (text: string, key: string): string => this.filled(text, ['networks', key, 'name']);
    return readNetworks(networks, project, fill);
  }

  private networksOf(
    service: string,
    keys: Record<string, unknown>,
    names: NetworkNames,
    mode: string | null,
  ): NetworkJoin[] {
    if (mode !== null && mode !== 'bridge' && mode !== 'default') return [];
    const written = keys['networks'];
    const joins = Array.isArray(written)
      ? Object.fromEntries(written.map((one) => [String(one), null]))
      : this.mapAt(['services', service, 'networks'], written ?? { default: null });
    return Object.entries(joins).map(([key, join]) => {
      const aliases = typeof join === 'object' && join !== null && 'aliases' in join ? readTexts(join.aliases) : [];
      return { name: names(key), aliases: [service, ...aliases], address: null };
    });
  }

  /** A map, or a list of `KEY=VALUE`. */
  private labels(path: PropertyKey[], value: unknown): Record<string, string> {
    const pairs = Array.isArray(value)
      ? readTexts(value).map((one) => [one.split('=')[0] ?? '', one.slice(one.indexOf('=') + 1)] as const)
      : Object.entries(this.mapAt(path, value)).map(([key, one]) => [key, String(one)] as const);
    return Object.fromEntries(pairs.map(([key, one]) => [key, interpolate(one, this.variables).text]));
  }

  /** Paths of this machine that a service sees: `HOST:INSIDE[:MODE]`, or keys with `source`. */
  private mounts(path: PropertyKey[], value: unknown): string[] {
    return this.listAt(path, value).flatMap((entry) => {
      const source =
        typeof entry === 'string' ? entry.split(':')[0] : (entry as Record<string, unknown> | null)?.['source'];
      const filled = typeof source === 'string' ? interpolate(source, this.variables).text : '';
      return /^[./~]/.test(filled) ? [filled] : [];
    });
  }

  /** Values elsewhere in the file whose dollar signs the engine will take for variables. */
  dollars(): void {
    const seen = new Set(this.findings.map(({ where }) => `${String(where?.line)}:${String(where?.column)}`));
    for (const { path, text } of textsBelow(this.yaml.value, [])) {
      const where = this.yaml.placeOf(path);
      const at = `${String(where.line)}:${String(where.column)}`;
      // An anchored value is met once for every alias; it is one slip.
      if (!text.includes('$') || path[0] === 'name' || seen.has(at) || seen.has(text)) continue;
      seen.add(text);
      const [problem] = interpolate(text, this.variables).problems;
      if (problem === undefined || problem.kind === 'required') continue;
      const say = /\$(2[aby]?|5|6|y|apr1|1|argon2\w*)\$/.test(text)
        ? 'hash'
        : problem.kind === 'unset'
          ? 'name'
          : 'lone';
      const severity = problem.kind === 'unset' && say === 'name' ? 'warning' : 'error';
      // The value itself may be a secret: of a hash only its key is told.
      const data = { key: path.join('.'), variable: say === 'hash' ? '' : problem.variable };
      this.add(tell(composeDollar, { say, data, severity, where }));
    }
  }

  /** `!override` puts a value in place of the earlier files' one, `!reset` takes theirs away ("Merge and override"). */
  private isReplaced(path: PropertyKey[]): boolean {
    const tag = this.yaml.tagAt(path);
    return tag === '!override' || tag === '!reset';
  }

  /** `include`: a path, or keys with `path` (one or several, which are merged) and `project_directory`. */
  includes(value: unknown): Include[] {
    return this.listAt(['include'], value).flatMap((entry, index) => {
      const path = ['include', index];
      const keys = typeof entry === 'string' ? { path: entry } : this.mapAt(path, entry);
      const written = typeof keys['path'] === 'string' ? [keys['path']] : keys['path'];
      const where = this.yaml.placeOf(path);
      const isPaths = Array.isArray(written) && written.every((one) => typeof one === 'string');
      if (!isPaths) return this.oddForm(path);
      const paths = (written as string[]).map((one) => this.filled(one, path));
      const folder = keys['project_directory'];
      const projectFolder = typeof folder === 'string' ? this.filled(folder, path) : null;
      return [{ paths, projectFolder, where }];
    });
  }

  /** `extends`: the name of a service of this file, or keys with `service` and `file`. */
  private base(path: PropertyKey[], value: unknown): Base | null {
    if (value === undefined || value === null) return null;
    const where = this.yaml.placeOfKey(path);
    if (typeof value === 'string') return { file: null, service: this.filled(value, path), where };
    const { service, file } = this.mapAt(path, value);
    if (typeof service !== 'string') {
      this.oddForm(path);
      return null;
    }
    return {
      file: typeof file === 'string' ? this.filled(file, path) : null,
      service: this.filled(service, path),
      where,
    };
  }

  private listAt(path: PropertyKey[], value: unknown): unknown[] {
    if (Array.isArray(value)) return value as unknown[];
    if (value !== undefined && value !== null) this.oddForm(path);
    return [];
  }

  private oddForm(path: PropertyKey[]): [] {
    const data = { key: path.join('.'), text: this.yaml.textAt(path) };
    this.add(tell(composeNotFollowed, { say: 'form', data, where: this.yaml.placeOf(path) }));
    return [];
  }

  filled(text: string, path: PropertyKey[]): string {
    const { text: out, problems } = interpolate(text, this.variables);
    for (const { variable, kind, message } of problems) {
      const data = { text, variable, problem: message === '' ? 'it has no value' : message };
      const severity = kind === 'unset' ? 'warning' : 'error';
      this.add(tell(composeValue, { say: kind, data, severity, where: this.yaml.placeOf(path) }));
    }
    return out;
  }

  private port(service: string, entry: unknown, path: PropertyKey[]): PublishedPort[] {
    const before = this.findings.length;
    const ports = this.portOf(entry, path);
    // A value that lacks its variable was told already; its form would be a second finding of one cause.
    if (ports === null && this.findings.length === before) {
      const where: Place = this.yaml.placeOf(path);
      this.add(tell(composeValue, { say: 'port', data: { service, text: this.yaml.textAt(path) }, where }));
    }
    const where = this.yaml.placeOf(path);
    const count = ports?.length ?? 0;
    if (count > this.portsLeft) {
      const data = { service, text: this.yaml.textAt(path), most: mostPorts };
      this.add(tell(composeValue, { say: 'ports-many', data, where }));
      return [];
    }
    this.portsLeft -= count;
    const about = { where, written: this.yaml.textAt(path), inFlow: this.yaml.isInFlow(path) };
    return (ports ?? []).map((mapping) => ({ ...mapping, ...about }));
  }

  private portOf(entry: unknown, path: PropertyKey[]): PortMapping[] | null {
    if (typeof entry === 'number') return parseShortPort(String(entry));
    if (typeof entry === 'string') return parseShortPort(this.filled(entry, path));
    if (typeof entry !== 'object' || entry === null) return null;
    const filled = Object.entries(entry).map(([key, value]: [string, unknown]) => [
      key,
      typeof value === 'string' ? this.filled(value, [...path, key]) : value,
    ]);
    return parseLongPort(Object.fromEntries(filled) as Record<string, unknown>);
  }

  private exposed(entry: unknown, path: PropertyKey[]): number[] {
    const text = typeof entry === 'string' ? this.filled(entry, path) : String(entry);
    return (parseShortPort(text) ?? []).slice(0, mostPorts / 100).map(({ containerPort }) => containerPort);
  }
}

/** So many ports a file may publish; a telephone system needs ten thousand. */
const mostPorts = 20_000;

/** `deploy.restart_policy.condition` counts where `restart` is not said (Compose Deploy Specification). */
function restartOf(deploy: unknown): string | null {
  const policy = (deploy as { restart_policy?: { condition?: unknown } } | null | undefined)?.restart_policy;
  if (policy === undefined) return null;
  const condition = policy.condition ?? 'any';
  if (condition === 'none') return null;
  return condition === 'on-failure' ? 'on-failure' : 'always';
}

function textsBelow(value: unknown, path: PropertyKey[]): Array<{ path: PropertyKey[]; text: string }> {
  if (typeof value === 'string') return [{ path, text: value }];
  if (typeof value !== 'object' || value === null) return [];
  return Object.entries(value).flatMap(([key, part]) =>
    textsBelow(part, [...path, Array.isArray(value) ? Number(key) : key]),
  );
}
