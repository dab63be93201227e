import fc from 'fast-check';
import { sshPorts } from '../src/adapters/host/ssh-ports.ts';
import { RateKeeper } from '../src/builtin/rate.ts';
import { folderWith } from './support/program.ts';

const seconds = (from: number, count: number, every: number): number[] =>
  Array.from({ length: count }, (_, index) => from + index * every);

/** Five requests a second and three more at once. */
const rate = { requests: 5, perSeconds: 1, burst: 3 };

test.each<[string, number[], number]>([
  ['one passes', [0], 1],
  ['the burst and one pass at once', seconds(0, 10, 0), 4],
  ['at the rate all pass', seconds(0, 50, 200), 50],
  ['at twice the rate the burst passes, then every second one', seconds(0, 21, 100), 14],
  ['after a rest the burst is whole again', [...seconds(0, 10, 0), ...seconds(800, 10, 0)], 8],
  ['what is refused does not count', [...seconds(0, 100, 0), 200], 5],
])('a rate: %s', (_, times, expected) => {
  const keeper = new RateKeeper(rate);
  expect(times.filter((now) => !keeper.isOver('203.0.113.7', now))).toHaveLength(expected);
});

test('one client does not use up what is for another, until so many came that the oldest is forgotten', () => {
  const keeper = new RateKeeper({ ...rate, burst: 0 }, 2);
  const passes = ['a', 'b', 'a', 'b', 'c', 'a', 'a'].map((client) => !keeper.isOver(client, 0));
  expect(passes).toEqual([true, true, false, false, true, true, false]);
});

test('whenever the requests come, within no stretch of time more pass than the burst, one, and what the rate gives', () => {
  fc.assert(
    fc.property(fc.array(fc.nat(400), { minLength: 1, maxLength: 60 }), (gaps) => {
      const keeper = new RateKeeper(rate);
      let now = 0;
      const passed = gaps.map((gap) => (now += gap)).filter((at) => !keeper.isOver('x', at));
      passed.forEach((from, first) =>
        passed.slice(first).forEach((to, count) => {
          expect(count + 1).toBeLessThanOrEqual(rate.burst + 1 + ((to - from) / 1000) * rate.requests + 1e-9);
        }),
      );
    }),
  );
});

test.each<[string, Record<string, string>, number[]]>([
  ['no file', {}, [22]],
  ['nothing said', { sshd_config: '# Port 2022\nPermitRootLogin no\n' }, [22]],
  ['another port', { sshd_config: 'Port 2022\n' }, [2022]],
  [
    'several, here and in a further file',
    { sshd_config: 'port 2022\n  Port 22\n', 'sshd_config.d/own.conf': 'Port 922\n' },
    [22, 922, 2022],
  ],
  ['with an equals sign, and a remark', { sshd_config: 'Port=2022\nport = "922" # for the hide\n' }, [922, 2022]],
  [
    'at an address with a port',
    { sshd_config: 'ListenAddress 192.168.64.10:2022\nListenAddress [fd00::1]:922\n' },
    [922, 2022],
  ],
  [
    'at addresses, one of them without',
    { sshd_config: 'ListenAddress 192.168.64.10:2022\nListenAddress fd00::1\n' },
    [22, 2022],
  ],
  ['a file that is not read', { sshd_config: 'Port 2022\n', 'sshd_config.d/own.conf.old': 'Port 922\n' }, [2022]],
])('ports of SSH: %s', (_, files, expected) => {
  const folder = folderWith(files);
  expect(sshPorts(folder)).toEqual(expected);
});
