import { existsSync } from 'node:fs';
import { MadeEngine } from './support/made-engine.ts';
import { SystemdMachine } from './support/systemd-machine.ts';

/** What a real systemd makes of the units: whether what is started lives with all that it is denied, and for whom. */

const site = '/home/keeper/site';
const map = (proxy: string): string => `domains: [saltmarsh.example]
front:
  address: [203.0.113.24]
  home-networks: [192.168.64.0/24]
  proxy: ${proxy}
roads:
  sightings: {to: bird-log:9000, gate: everyone}
`;
const asked =
  'curl -sk --retry 20 --retry-connrefused --retry-all-errors --retry-delay 1 -o /dev/null -w "%{http_code}" --resolve sightings.saltmarsh.example:443:127.0.0.1 https://sightings.saltmarsh.example/';

let machine: SystemdMachine;
let engine: MadeEngine;

beforeAll(async () => {
  machine = await SystemdMachine.start();
  engine = new MadeEngine(machine.path('/run/docker.sock'));
  await engine.start();
  engine.put({ name: 'bird-log', address: '172.17.0.2', port: 9000, published: 9000 });
  await root(
    'groupadd -f docker; usermod -aG docker keeper; chgrp docker /run/docker.sock; chmod 660 /run/docker.sock',
  );
  await root('mkdir -p /srv/a /srv/b; echo first > /srv/a/index.html; echo second > /srv/b/index.html');
  for (const [port, folder] of [
    ['9000', 'a'],
    ['9001', 'b'],
  ])
    await root(`systemd-run --quiet busybox httpd -f -p 127.0.0.1:${String(port)} -h /srv/${String(folder)}`);
  await keeper(`mkdir ${site}`);
}, 120_000);

afterAll(async () => {
  await engine.stop();
  await machine.stop();
});

/** Runs words there, which have to succeed. @returns what they said */
async function root(words: string, user = 'root'): Promise<string> {
  const { code, out } = await machine.run(`cd ${site} 2>/dev/null; ${words}`, user);
  expect([words, code, out]).toEqual([words, 0, out]);
  return out;
}

const keeper = (words: string): Promise<string> => root(words, 'keeper');

/** In the folder of the map there is nothing that its owner may not change. */
async function ownedByKeeper(): Promise<void> {
  expect(await root(`find ${site} ! -user keeper`)).toBe('');
}

/** Waits until a unit has said something. */
async function said(unit: string, words: string): Promise<void> {
  await root(`journalctl -f -n all -o cat -u ${unit} | { grep -m 1 '${words}'; pkill -x journalctl; }`);
}

const lay = (text: string): Promise<string> => keeper(`cat > mile-marker.yaml <<'E'\n${text}E`);

test('the builtin front runs as the owner of the map, with low ports, is reloaded by that owner, and comes back', async () => {
  await lay(map('builtin'));
  await keeper('mile-marker certs make');
  const refused = await machine.run(`cd ${site}; mile-marker install --yes`, 'keeper');
  expect(refused.out).toMatch(
    /port (?:80|918): permission denied\. .*Run this as root, then `mile-marker install service`/,
  );
  expect((await machine.run(`cd ${site}; mile-marker install service --yes`)).out).toContain('Nothing is written yet');
  // As it says.
  await root('mile-marker install --yes');
  expect(await root('mile-marker install service --dry-run --show')).toMatch(
    /NoNewPrivileges=yes\nProtectSystem=strict[^]*ReadWritePaths=\S+\/\.mile-marker\n[^]*Nothing was changed/,
  );
  await root('mile-marker install service --yes');
  expect(await root('mile-marker install service')).toContain('are up to date');
  expect(await keeper(asked)).toBe('200');
  await ownedByKeeper();
  const process = await root('systemctl show -P MainPID mile-marker');
  expect(await root(`ps -o user= -p ${process.trim()}`)).toBe('keeper\n');

  await lay(map('builtin').replace('everyone', 'home'));
  expect(await keeper('mile-marker install --yes')).toContain('is live');
  expect(await keeper(asked)).toBe('403');
  expect(await root('systemctl show -P MainPID mile-marker')).toBe(process);

  await root(`kill -KILL ${process.trim()}`);
  expect(await keeper(asked)).toBe('403');
  expect(await root('systemctl show -P NRestarts mile-marker')).toBe('1\n');
  expect(await root('journalctl -o cat -t mile-marker')).toContain('Serving 1 road.');
  await root('mile-marker undo service --yes');
  expect(await root('mile-marker undo service --yes')).toContain('has made no units');
  expect(await root('systemctl list-units --all --plain --no-legend "mile-marker*"')).toBe('');
});

test('the timers renew and test as the owner of the map', async () => {
  await lay(map('builtin'));
  await keeper('mile-marker certs make');
  await lay(`${map('builtin')}acme: {directory: "https://acme.marsh-trust.example/directory", challenge: http}\n`);
  const untimed = async (): Promise<boolean> =>
    (await machine.run(`cd ${site}; mile-marker check --installed --json`, 'keeper')).out.includes('renewal-not-timed');
  expect(await untimed()).toBe(true);
  await root('mile-marker install timers --yes');
  expect(await untimed()).toBe(false);
  await root('mile-marker undo timers --yes');
  await lay(map('builtin'));
  await root('mile-marker install timers --yes');
  await root('systemctl start mile-marker-renew.service');
  expect(await root('journalctl -o cat -u mile-marker-renew.service -t mile-marker')).toContain('Nothing is due.');
  // The front's address is nowhere here, which is an end of its own: it could not be judged.
  await machine.run('systemctl start mile-marker-verify.service');
  expect(await root('systemctl show -P ExecMainStatus mile-marker-verify.service')).toBe('3\n');
  expect(existsSync(machine.path(`${site}/.mile-marker/newest-run.json`))).toBe(true);
  await ownedByKeeper();
  expect(await root('mile-marker install timers --yes')).toContain('Nothing was changed.');
  await root('mile-marker undo timers --yes');
  expect(await root('systemctl list-units --all --plain --no-legend "mile-marker*"')).toBe('');
});

test('rules of the firewall on trial are taken away by a timer, and kept ones are loaded with the machine', async () => {
  const rules = async (): Promise<boolean> => (await root('nft list tables')).includes('inet mile_marker');
  await lay(map('builtin'));
  await keeper('mile-marker write');
  await root('mile-marker install firewall');
  expect(await rules()).toBe(true);
  // Its time has come.
  const timer = /\srun-(\S+)\.timer/.exec(await root('systemctl list-timers --no-legend'))?.[1] ?? '';
  await root(`systemctl start --wait run-${timer}.service`);
  expect(await rules()).toBe(false);

  await root('mile-marker install firewall');
  await root('mile-marker install firewall --keep');
  await root('nft delete table inet mile_marker; systemctl start mile-marker-way-in.service');
  expect(await rules()).toBe(true);
  await root('mile-marker undo firewall');
  expect(await rules()).toBe(false);
  expect(await root('systemctl list-units --all --plain --no-legend "mile-marker*"')).toBe('');
});

test('follow in two halves tells nginx of a port that moved, and the half that reads the engine has no right of root', async () => {
  await lay(map('nginx'));
  await root('rm -rf .mile-marker /etc/nginx/sites-enabled/default; rm /etc/systemd/system/nginx.service');
  await root('systemctl daemon-reload; systemctl start nginx');
  await keeper('mile-marker certs make');
  await root('mile-marker install --yes');
  await root('mile-marker install follow --yes');
  expect(await keeper(asked)).toBe('200');
  expect(await keeper(asked.replace('-o /dev/null -w "%{http_code}"', ''))).toBe('first\n');
  // Both halves have come to rest.
  await said('mile-marker-follow-engine', 'found 1 container');
  await said('mile-marker-follow', 'is live');
  engine.put({ name: 'bird-log', address: '172.17.0.2', port: 9000, published: 9001 });
  await said('mile-marker-follow', '127.0.0.1:9001');
  expect(await keeper(asked.replace('-o /dev/null -w "%{http_code}"', ''))).toBe('second\n');
  await ownedByKeeper();
  const half = (await root('systemctl show -P MainPID mile-marker-follow-engine')).trim();
  expect(await root(`ps -o user= -p ${half}`)).toBe('keeper\n');
  expect(await root(`grep -E '^Cap(Eff|Bnd)' /proc/${half}/status`)).toBe(
    'CapEff:\t0000000000000000\nCapBnd:\t0000000000000000\n',
  );
  await root('mile-marker undo follow --yes');
  expect(await root('systemctl list-units --all --plain --no-legend "mile-marker*"')).toBe('');
});
