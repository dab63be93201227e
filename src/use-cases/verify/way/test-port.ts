import { frontPastEdge, noHairpin } from '../../../core/legs/way/home.ts';
import type { LegResult, Problem } from '../../../core/legs/leg.ts';
import { judgePorts } from '../../../core/legs/way/port.ts';
import { judgeRead, judgeRunning } from '../../../core/legs/way/running.ts';
import type { Shared } from '../testing.ts';

/** The leg that is the same for all roads: the front's ports, and what there is to say of the front itself. */
export async function testPort(shared: Shared): Promise<LegResult> {
  const { input, addresses, front } = shared;
  const ports = judgePorts(front.ports);
  const hairpin = front.isAtHome ? [noHairpin(addresses, front.home, input.plan.front)] : [];
  return { ...ports, problems: [...ports.problems, ...hairpin, ...(await pastEdge(shared)), ...notNewest(shared)] };
}

/** What answers at the front's own addresses, past the edge. From home the front is meant to be reached directly. */
async function pastEdge({ input: { plan, fromHome }, addresses, front }: Shared): Promise<Problem[]> {
  if (plan.front.edge === null || fromHome) return [];
  const own = plan.front.addresses.filter((address) => !addresses.includes(address));
  const past = own.length > 0 ? await front.portsAt(own) : [];
  const tried = [...front.ports, ...past].filter(({ address }) => plan.front.addresses.includes(address));
  const open = [...new Set(tried.filter(({ attempt }) => attempt.ok).map(({ address }) => address))];
  return open.length === 0 ? [] : [frontPastEdge(open)];
}

/** What answers on the loopback of another machine is not the front, unless it was written here. */
function notNewest({ input: { running, here }, front }: Shared): Problem[] {
  const connection = front.connection();
  const isMachine = connection !== null && here.includes(connection.to);
  if (running === null || !(isMachine || running.isOurs)) return [];
  return [judgeRunning(running), judgeRead(running)].filter((problem) => problem !== null);
}
