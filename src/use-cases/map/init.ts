import { access } from 'node:fs/promises';
import { join } from 'node:path';
import { mapName, shownPath } from '../../adapters/files/find-map.ts';
import { writeFirst } from '../../adapters/files/safe-write.ts';
import { codeOf, Trouble } from '../../adapters/trouble.ts';
import { fill } from '../../core/findings/card.ts';
import { nameInvalid } from '../../core/map/cards.ts';
import { starterMap } from '../../core/map/starter.ts';
import { parseHostName } from '../../core/names/host-name.ts';
import { parseAddress } from '../../core/networks/address.ts';

/** File names that the Compose Specification looks for, in its order. */
const composeNames = ['compose.yaml', 'compose.yml', 'docker-compose.yaml', 'docker-compose.yml'];

/**
 * Writes the first map into the folder `cwd`.
 *
 * @throws Trouble `map-exists`, `domain-invalid`, `address-invalid` (exit code 2), `cannot-write`
 */
export async function initMap({
  domain,
  addresses,
  cwd,
}: {
  domain: string;
  addresses: string[];
  cwd: string;
}): Promise<{ shown: string; compose: string | null }> {
  const name = parseHostName(domain);
  if (!name.ok) {
    const { message, remedy } = nameInvalid.messages[name.problem];
    const data = { name: domain, text: name.text };
    throw new Trouble({
      code: 'domain-invalid',
      message: fill(message, data),
      remedy: fill(remedy, data),
      exitCode: 2,
    });
  }
  const wrong = addresses.find((address) => parseAddress(address) === null && !parseHostName(address).ok);
  if (wrong !== undefined) {
    const message = `--address expects an IPv4 or IPv6 address. Found: ${wrong}`;
    throw new Trouble({
      code: 'address-invalid',
      message,
      remedy: 'Write it like 203.0.113.24 or 2001:db8:40::24.',
      exitCode: 2,
    });
  }
  const compose = await firstThere(cwd);
  const file = join(cwd, mapName);
  const text = starterMap({
    domain: name.name.unicode,
    addresses: addresses.map((address) => parseAddress(address) ?? address),
    compose,
  });
  try {
    await writeFirst(file, text);
  } catch (trouble) {
    if (!(trouble instanceof Trouble) || codeOf(trouble.cause) !== 'EEXIST') throw trouble;
    const message = `There is already a map: ${file}. It was not changed.`;
    throw new Trouble({
      code: 'map-exists',
      message,
      remedy: 'Edit it, or run init in another folder.',
      exitCode: 2,
      cause: trouble,
    });
  }
  return { shown: shownPath(file, cwd), compose };
}

async function firstThere(folder: string): Promise<string | null> {
  for (const name of composeNames) {
    const there = await access(join(folder, name)).then(
      () => true,
      () => false,
    );
    if (there) return name;
  }
  return null;
}
