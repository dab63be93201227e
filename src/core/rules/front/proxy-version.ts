import { card, tell } from '../../findings/card.ts';
import { programOf } from '../../proxies/programs.ts';
import { isSince } from '../../proxies/version.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'proxy-too-old',
  severity: 'error',
  summary: 'The installed server program cannot read the written files.',
  why: 'It would refuse them or misunderstand them.',
  source: 'docs/proxies.md: the versions that the files are written for',
  messages: {
    version: {
      message: '{proxy} {version} is installed, and the written files need {lowest} or later.',
      remedy: 'Install a later one, or write another proxy under `front`.',
    },
    module: {
      message: '{proxy} is built without {module}, which the written files need.',
      remedy: 'Install a package that has it. On Debian: apt-get install {package}',
    },
  },
});

export const proxyTooOld: Rule = {
  card: words,
  check: ({ plan, installed }) => {
    const { title: proxy, versions, modules } = programOf(plan.front.proxy);
    const { version, modules: built } = installed;
    const where = plan.front.where;
    const lowest = versions?.lowest ?? null;
    if (version !== null && lowest !== null && !isSince(version, lowest))
      return [tell(words, { say: 'version', data: { proxy, version, lowest }, where })];
    if (built === null) return [];
    return modules
      .filter(({ name }) => !built.includes(name))
      .map(({ name, package: has }) =>
        tell(words, {
          say: 'module',
          data: { proxy, module: name, package: has },
          where,
          cause: `proxy-module:${name}`,
        }),
      );
  },
};
