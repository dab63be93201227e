/** Every server program that can answer at the front. The map's schema takes these names; `programs.ts` has what each of them is. */
export const proxyNames = ['builtin', 'nginx', 'httpd', 'haproxy'] as const;
export type ProxyName = (typeof proxyNames)[number];

/** Those whose configuration this version writes; a test compares them with `programs.ts`, which costs more to load. */
export const writtenNames: readonly ProxyName[] = ['builtin', 'nginx', 'httpd', 'haproxy'];
