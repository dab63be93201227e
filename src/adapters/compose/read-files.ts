import { basename, dirname, join, resolve } from 'node:path';
import { parse } from 'dotenv';
import { readCompose, type Include, type ReadService } from '../../core/inventory/compose.ts';
import { composeNotFollowed, composeUnreadable } from '../../core/inventory/compose-cards.ts';
import { mergeServices, withBases } from '../../core/inventory/compose-merge.ts';
import type { Service } from '../../core/inventory/inventory.ts';
import { groupedBy } from '../../core/grouped-by.ts';
import { tell } from '../../core/findings/card.ts';
import type { Finding, Place } from '../../core/findings/finding.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import { shownPath } from '../files/find-map.ts';
import { readText } from '../files/read-text.ts';
import { codeOf, Trouble } from '../trouble.ts';

interface ComposeFilesInput {
  compose: SiteMap['compose'];
  /** Absolute path of the map; Compose paths are relative to its folder. */
  mapFile: string;
  cwd: string;
  env: Readonly<Record<string, string | undefined>>;
}

/**
 * Reads the Compose files of a map and every file that they include or extend, with the `.env` of each project folder.
 * The environment wins over `.env`, as the Compose Specification has it. A file that cannot be read is a finding at the
 * line that names it. Files of one folder are one project and are merged; another folder is another project.
 */
export async function readComposeFiles({
  compose,
  mapFile,
  cwd,
  env,
}: ComposeFilesInput): Promise<{ services: Service[]; findings: Finding[] }> {
  const folder = dirname(mapFile);
  const loaders = new Map<string, Loader>();
  const services: Service[] = [];
  const files = new Set<string>();
  const folders = new Map<string | null, string>();
  for (const { path, where } of compose) {
    const file = resolve(folder, path);
    const projectFolder = dirname(file);
    const loader = loaders.get(projectFolder) ?? new Loader({ cwd, env, project: projectName(projectFolder, env) });
    loaders.set(projectFolder, loader);
    files.add(file);
    for (const service of await loader.load(file, projectFolder, where)) {
      services.push(service);
      folders.set(service.project, projectFolder);
    }
  }
  const inFolder = groupedBy([...files], dirname);
  const withFiles = ({ declared, ...service }: Service): Service => {
    const own = inFolder.get(folders.get(service.project) ?? '') ?? [];
    return { ...service, declared: declared && { ...declared, files: own.map((file) => shownPath(file, cwd)) } };
  };
  return {
    services: mergeServices(services).map(withFiles),
    findings: [...loaders.values()].flatMap(({ findings }) => findings),
  };
}

interface LoaderInput {
  cwd: string;
  env: Readonly<Record<string, string | undefined>>;
  project: string;
}

/** Two and a half thousand services; what is longer takes long to read, and nobody wrote it. */
const longestFile = 256 * 1024;

class Loader {
  readonly findings: Finding[] = [];
  private readonly files = new Map<string, ReadService[]>();
  private readonly includes = new Map<string, Include[]>();
  private readonly loaded = new Set<string>();

  private project: string;

  constructor(private readonly input: LoaderInput) {
    this.project = input.project;
  }

  /** The services of a file and of those it includes. A file that is included again gives nothing new. */
  async load(file: string, projectFolder: string, where: Place): Promise<Service[]> {
    if (this.loaded.has(file)) return [];
    this.loaded.add(file);
    await this.read(file, projectFolder, where);
    const taken = await this.loadIncludes(this.includes.get(file) ?? [], dirname(file));
    await this.readBases(file, projectFolder);
    const own = withBases({ files: this.files, file, resolve: (from, path) => resolve(dirname(from), path) });
    this.findings.push(...own.findings);
    return [...taken, ...own.services];
  }

  private async loadIncludes(includes: readonly Include[], folder: string): Promise<Service[]> {
    const services: Service[] = [];
    for (const { paths, projectFolder, where } of includes) {
      for (const path of paths) {
        if (/^[a-z][a-z0-9+.-]*:\/\//i.test(path)) {
          this.findings.push(tell(composeNotFollowed, { say: 'remote', data: { text: path }, where }));
          continue;
        }
        const file = resolve(folder, path);
        const own = projectFolder === null ? dirname(file) : resolve(folder, projectFolder);
        services.push(...(await this.load(file, own, where)));
      }
    }
    return services;
  }

  /** Reads every file that is reached from `file` by `extends`. */
  private async readBases(file: string, projectFolder: string): Promise<void> {
    for (const { base } of this.files.get(file) ?? []) {
      if (base === null || base.file === null) continue;
      const other = resolve(dirname(file), base.file);
      if (this.files.has(other)) continue;
      await this.read(other, projectFolder, base.where);
      await this.readBases(other, projectFolder);
    }
  }

  /** Reads a file once, whether it is included, extended or both. */
  private async read(file: string, projectFolder: string, where: Place): Promise<void> {
    if (this.files.has(file)) return;
    const { cwd, env } = this.input;
    const { project } = this;
    try {
      const text = await readText({ path: file, what: 'Compose file', isFile: true, maxBytes: longestFile });
      const variables = { ...(await readDotEnv(projectFolder)), ...given(env) };
      const read = readCompose({ file: shownPath(file, cwd), text, project, variables });
      const { services, includes, findings } = read;
      // The name that one file gives is that of every file after it.
      this.project = read.project;
      this.files.set(file, services);
      this.includes.set(file, includes);
      this.findings.push(...findings);
    } catch (trouble) {
      if (!(trouble instanceof Trouble)) throw trouble;
      const data = { text: file, problem: trouble.message, advice: trouble.remedy };
      this.findings.push(tell(composeUnreadable, { say: 'file', data, where }));
    }
  }
}

async function readDotEnv(folder: string): Promise<Record<string, string>> {
  try {
    return parse(await readText({ path: join(folder, '.env'), what: 'file', isFile: true }));
  } catch (trouble) {
    // None, and one that only others may read, is as if there were none.
    if (trouble instanceof Trouble && ['ENOENT', 'EACCES'].includes(codeOf(trouble.cause) ?? '')) return {};
    throw trouble;
  }
}

function given(env: Readonly<Record<string, string | undefined>>): Record<string, string> {
  return Object.fromEntries(Object.entries(env).filter((entry): entry is [string, string] => entry[1] !== undefined));
}

/** The folder's name in lower case without the characters a project name cannot have (Compose Specification, "name"). */
function projectName(folder: string, env: Readonly<Record<string, string | undefined>>): string {
  return (
    env['COMPOSE_PROJECT_NAME'] ??
    basename(folder)
      .toLowerCase()
      .replace(/[^a-z0-9_-]/g, '')
      .replace(/^[_-]+/, '')
  );
}
