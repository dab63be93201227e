import { admits } from '../networks/admits.ts';
import { withPort } from '../networks/address.ts';
import type { PlannedPort } from '../plan/plan.ts';
import type { ExplainedStep } from './explain.ts';

type PortStep = Omit<ExplainedStep, 'step'> & { step: 'gate' | 'tls' | 'leads' };

/** What happens to somebody who connects to a raw port, or sends it a packet, and why. Nothing is sent. */
export function explainPort(port: PlannedPort, peer: string): { admitted: boolean; steps: PortStep[] } {
  const { gate, protocol, tls, where } = port;
  const admitted = admits(gate, peer);
  const step = (
    name: PortStep['step'],
    words: string,
    outcome: ExplainedStep['outcome'],
    mapLine = where.line,
  ): PortStep => ({
    step: name,
    outcome,
    words,
    mapLine,
  });
  const refused = protocol === 'tcp' ? 'the connection is closed before a byte is read' : 'what is sent is dropped';
  const gates = gate.parts.map((part) => {
    const { name, where: at } = part;
    const isIn = admits({ name, parts: [part] }, peer);
    const words = `\`${name}\`: ${peer} is in ${isIn ? 'its' : 'none of its'} networks`;
    return isIn ? step('gate', words, 'passes', at.line) : step('gate', `${words}: ${refused}`, 'decides', at.line);
  });
  const out = gates.findIndex(({ outcome }) => outcome === 'decides');
  if (!admitted && out >= 0)
    return {
      admitted,
      steps: [
        ...gates.slice(0, out + 1),
        ...(tls === null ? [] : [step('tls', '', 'not-reached', 0)]),
        step('leads', '', 'not-reached', 0),
      ],
    };
  return {
    admitted,
    steps: [
      ...(gates.length === 0 ? [step('gate', 'everyone passes', 'passes')] : gates),
      ...(tls === null
        ? []
        : [step('tls', `ends here, with the certificate \`${tls.certificate}\` for ${tls.name}`, 'passes')]),
      step('leads', leadsWords(port), 'decides'),
    ],
  };
}

function leadsWords({ to, protocol, tellsVisitor, tls }: PlannedPort): string {
  if (to === null) return 'nowhere: it is not known where the service is reached';
  const bytes = tls === null && protocol === 'tcp' ? 'passed on byte for byte' : 'passed on';
  const told = tellsVisitor ? ', with a line that says who the visitor is (PROXY protocol)' : '';
  return `${bytes} to ${withPort(to.host, to.port)} over ${protocol.toUpperCase()}${told}`;
}
