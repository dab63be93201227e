import type { ProxyName } from '../../core/proxies/names.ts';
import { allPrograms } from '../../core/proxies/programs.ts';
import type { Served } from '../../core/rules/rule.ts';
import type { Env, ProxyAdapter } from './adapter.ts';
import { haproxyAdapter } from './haproxy/adapter.ts';
import { httpdAdapter } from './httpd/adapter.ts';
import { nginxAdapter } from './nginx/adapter.ts';

/** By program; what is part of this program itself needs none. A new one is a folder of its own and a line here. */
const adapters: Partial<Record<ProxyName, ProxyAdapter>> = {
  nginx: nginxAdapter,
  httpd: httpdAdapter,
  haproxy: haproxyAdapter,
};

export function adapterOf(name: ProxyName): ProxyAdapter | null {
  return adapters[name] ?? null;
}

/** What every installed server program serves by files that are not ours. */
export function servedHere(env: Env): Promise<Served[]> {
  return Promise.all(allPrograms.flatMap(({ name }) => adapters[name]?.served(env, null) ?? []));
}
