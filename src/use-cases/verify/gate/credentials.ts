import { asksFor } from '../../../core/gates/check.ts';
import type { Login } from '../../../adapters/files/read-login.ts';
import type { PlannedRoad } from '../../../core/plan/plan.ts';
import type { TestedAddress } from '../part-at.ts';
import type { TestInput } from '../testing.ts';

/** The test login, for a road that asks people. */
export function credentials(
  { login }: Pick<TestInput, 'login'>,
  { gate }: PlannedRoad,
  { isSound }: Pick<TestedAddress, 'isSound'>,
): Record<string, string> {
  return login !== null && isSound && asksFor(gate, 'people') ? basic(login) : {};
}

/** RFC 7617 §2. */
export function basic({ name, password }: Login): Record<string, string> {
  return { authorization: `Basic ${Buffer.from(`${name}:${password}`).toString('base64')}` };
}
