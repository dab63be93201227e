/** Words by which programs for administrators call themselves. */
const telling =
  /(?:^|[^a-z])(admin(?:er|istration)?|[a-z]*my-?admin|[a-z]*pg-?admin|console|dashboard|control-?panel|manager|management|webmin|[a-z]+-commander|[a-z]+-express|[a-z]+-exporter|monitor(?:ing)?|metrics|prometheus|debug|workbench|router|hypervisor)(?:$|[^a-z])/i;

/** Ports on which such programs usually listen, by what they usually are there. */
const ports: Readonly<Record<number, string>> = {
  8006: 'a console for virtual machines',
  8161: 'a console for message queues',
  8086: 'an interface of a database',
  9090: 'a console or metrics',
  9100: 'metrics',
  9200: 'an interface of a database',
  9443: 'a console',
  10000: 'a console for a whole machine',
  15672: 'a console for message queues',
  19999: 'metrics of a whole machine',
};

interface ConsoleHints {
  name: string;
  port: number;
  image: string | null;
  service: string | null;
}

/** Why a service looks like something for administrators, in words that follow "and", or null. */
export function consoleBy({ name, port, image, service }: ConsoleHints): string | null {
  const last = image?.split('@')[0]?.split('/').pop()?.split(':')[0] ?? '';
  const word = telling.exec(last)?.[1];
  if (word !== undefined) return `its image is called \`${last}\``;
  for (const [what, text] of [
    ['its service', service],
    ['it', name],
  ] as const) {
    if (text !== null && telling.test(text)) return `${what} is called \`${text}\``;
  }
  const use = ports[port];
  return use === undefined ? null : `its port ${String(port)} is usually ${use}`;
}

/** Whether the title of a page says that it is for administrators. */
export function isConsoleTitle(title: string): boolean {
  return telling.test(title);
}
