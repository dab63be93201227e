import { card, tell } from '../findings/card.ts';
import type { Finding, Place } from '../findings/finding.ts';
import { readYaml, type YamlText } from '../yaml/document.ts';
import { yamlWords } from '../yaml/words.ts';
import { parseLongPort, parseShortPort } from './compose-ports.ts';
import { interpolate } from './interpolate.ts';
import type { Inventory, PortMapping, PublishedPort, Service } from './inventory.ts';

export const composeUnreadable = card({
  id: 'compose-unreadable',
  severity: 'error',
  summary: 'A Compose file cannot be read.',
  why: 'Which port a service publishes is read from there.',
  source: 'YAML 1.2.2; Compose Specification',
  messages: {
    ...yamlWords,
    file: { message: '{problem}', remedy: '{advice}' },
    services: {
      message: '`{key}` holds {text}, where keys with values belong.',
      remedy: 'Mend the Compose file; your container engine will refuse it too.',
    },
  },
});

export const composeValue = card({
  id: 'compose-value',
  severity: 'error',
  summary: 'A value in a Compose file cannot be worked out.',
  why: 'A port that is guessed is a road that leads to the wrong service.',
  source: 'Compose Specification, sections "ports" and "Interpolation"',
  messages: {
    port: {
      message: 'Service `{service}` has an entry in `ports` that follows no known form: {text}',
      remedy: 'Write "HOST-ADDRESS:OUTSIDE:INSIDE", such as "127.0.0.1:8080:80".',
    },
    required: {
      message: '`{text}` needs the variable {variable}: {problem}',
      remedy: 'Set {variable} in the environment or in the file .env beside the Compose file.',
    },
    malformed: {
      message: '`{text}` has a variable that cannot be read: {problem}',
      remedy: 'Mend it; `$$` stands for a dollar sign.',
    },
    unset: {
      message: '`{text}` uses the variable {variable}, and {problem}.',
      remedy: 'Set {variable}, or give a default: ${{variable}:-VALUE}.',
    },
  },
});

export const composeNotFollowed = card({
  id: 'compose-not-followed',
  severity: 'warning',
  summary: 'A Compose file takes in another file, which this version does not read.',
  why: 'Services and ports declared there are unknown to the map.',
  source: 'Compose Specification, sections "include" and "extends"',
  messages: {
    include: {
      message: 'This file includes others, which are not read.',
      remedy: 'Name those files under `compose` in the map.',
    },
    extends: {
      message: 'Service `{service}` extends another one; what it takes from there is not read.',
      remedy: 'If its `ports` stand there, write them out in this file.',
    },
  },
});

export const composeCards = [composeUnreadable, composeValue, composeNotFollowed];

export interface ComposeInput {
  file: string;
  text: string;
  /** Project name when the file does not say one: by the specification the folder's name. */
  project: string;
  variables: Readonly<Record<string, string>>;
}

/** Reads the services of one Compose file with the ports they publish. Values are interpolated, keys are not. */
export function readCompose({ file, text, project, variables }: ComposeInput): {
  inventory: Inventory;
  findings: Finding[];
} {
  const yaml = readYaml({ file, text });
  if (yaml.problems.length > 0) {
    const findings = yaml.problems.map(({ say, data, where }) => tell(composeUnreadable, { say, data, where }));
    return { inventory: { services: [] }, findings };
  }
  const reader = new Reader(yaml, variables);
  const top = reader.mapAt([], yaml.value);
  const name = typeof top['name'] === 'string' ? reader.filled(top['name'], ['name']) : project;
  if (top['include'] !== undefined)
    reader.add(tell(composeNotFollowed, { say: 'include', where: yaml.placeOfKey(['include']) }));
  const services = Object.entries(reader.mapAt(['services'], top['services'])).map(([key, value]) =>
    reader.service(key, reader.mapAt(['services', key], value), name),
  );
  return { inventory: { services }, findings: reader.findings };
}

class Reader {
  readonly findings: Finding[] = [];

  constructor(
    private readonly yaml: YamlText,
    private readonly variables: Readonly<Record<string, string>>,
  ) {}

  add(finding: Finding): void {
    this.findings.push(finding);
  }

  mapAt(path: string[], value: unknown): Record<string, unknown> {
    if (typeof value === 'object' && value !== null && !Array.isArray(value)) return value as Record<string, unknown>;
    if (value !== undefined && value !== null) {
      const data = { key: path.join('.'), text: this.yaml.textAt(path) };
      this.add(tell(composeUnreadable, { say: 'services', data, where: this.yaml.placeOf(path) }));
    }
    return {};
  }

  service(name: string, keys: Record<string, unknown>, project: string): Service {
    const path = ['services', name];
    const where = this.yaml.placeOfKey(path);
    if (keys['extends'] !== undefined) {
      this.add(
        tell(composeNotFollowed, {
          say: 'extends',
          data: { service: name },
          where: this.yaml.placeOfKey([...path, 'extends']),
        }),
      );
    }
    const ports = Array.isArray(keys['ports']) ? (keys['ports'] as unknown[]) : [];
    const expose = Array.isArray(keys['expose']) ? (keys['expose'] as unknown[]) : [];
    return {
      project,
      name,
      published: ports.flatMap((entry, index) => this.port(name, entry, [...path, 'ports', index])),
      exposed: expose.flatMap((entry, index) => this.exposed(entry, [...path, 'expose', index])),
      where,
      portsWhere: keys['ports'] === undefined ? where : this.yaml.placeOfKey([...path, 'ports']),
    };
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
    return (ports ?? []).map((mapping) => ({ ...mapping, where }));
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
    return (parseShortPort(text) ?? []).map(({ containerPort }) => containerPort);
  }
}

/** Puts the inventories of several Compose files together: equal services are one, and lists are appended ("Merge and override"). */
export function mergeInventories(inventories: readonly Inventory[]): Inventory {
  const merged = new Map<string, Service>();
  for (const service of inventories.flatMap(({ services }) => services)) {
    const key = `${service.project}/${service.name}`;
    const first = merged.get(key);
    if (first === undefined) {
      merged.set(key, service);
      continue;
    }
    merged.set(key, {
      ...first,
      published: [...first.published, ...service.published],
      exposed: [...first.exposed, ...service.exposed],
      portsWhere: first.published.length > 0 ? first.portsWhere : service.portsWhere,
    });
  }
  return { services: [...merged.values()] };
}
