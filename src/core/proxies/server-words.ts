import type { FrontPlace, ProxyWords } from './program.ts';

/**
 * @property unit of systemd @property package of Debian
 * @property reload tests the configuration on this machine, and has the server take it up
 * @property installs `mile-marker install` does all of it @property signal that does the same for a server in a container; there its log says why when it goes on with the old one
 */
interface ServerFacts {
  unit: string;
  package: string;
  reload: string;
  signal: 'HUP' | 'USR1' | 'USR2';
  installs: boolean;
}

/** What a person types for a server that systemd, or a container engine, runs. */
export function serverWords({ unit, package: name, reload, signal, installs }: ServerFacts): ProxyWords {
  const reloadAt = ({ container, cluster = null }: FrontPlace): string =>
    cluster !== null ? 'mile-marker install' : container === null ? reload : `docker kill -s ${signal} ${container}`;
  const goLive = (place: FrontPlace): string =>
    installs ? 'mile-marker install' : `mile-marker write && ${reloadAt(place)}`;
  return {
    goLive,
    first: goLive,
    reload: reloadAt,
    start: ({ container, cluster = null }) =>
      cluster !== null
        ? 'mile-marker install'
        : container === null
          ? `systemctl start ${unit}`
          : `docker start ${container}`,
    atBoot: () => `systemctl enable ${unit}`,
    install: `apt-get install ${name}`,
  };
}
