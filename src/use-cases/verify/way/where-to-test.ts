import { addressRemedy } from '../../../core/records/wanted.ts';
import type { NameSource } from '../../../adapters/probe/look-up.ts';
import { Trouble } from '../../../adapters/trouble.ts';
import { inNetworks } from '../../../core/networks/address.ts';
import type { Plan } from '../../../core/plan/plan.ts';

interface WhereInput {
  plan: Plan;
  names: NameSource;
}

/**
 * The addresses that visitors come to: those of the edge that the names lead to, where there is one, else those of the front.
 *
 * @throws Trouble `front-address-unknown`
 */
export async function whereToTest(input: WhereInput): Promise<string[]> {
  const atEdge = await edgeAddresses(input);
  return atEdge.length > 0 ? atEdge : frontAddresses(input);
}

/** The first name that leads to the edge stands for all. */
async function edgeAddresses({ plan, names }: WhereInput): Promise<string[]> {
  const networks = plan.front.edge?.networks ?? [];
  if (networks.length === 0) return [];
  for (const { name } of plan.roads) {
    const evidence = await names.addressesOf(name);
    const found = evidence.kind === 'found' ? evidence.addresses.filter((one) => inNetworks(one, networks)) : [];
    if (found.length > 0) return found;
  }
  return [];
}

async function frontAddresses({ plan, names }: WhereInput): Promise<string[]> {
  const found = await Promise.all(plan.front.names.map((name) => names.addressesOf(name)));
  const looked = found.flatMap((evidence) => (evidence.kind === 'found' ? evidence.addresses : []));
  const addresses = [...new Set([...plan.front.addresses, ...looked])];
  if (addresses.length > 0) return addresses;
  const message = `The address of the front is unknown: ${plan.front.names.join(', ') || 'its interface'} has none.`;
  const remedy = `${addressRemedy(plan.front.names)} Or test one address: mile-marker verify --at ADDRESS`;
  throw new Trouble({ code: 'front-address-unknown', message, remedy });
}
