import { InvalidArgumentError } from 'commander';
import { alone } from '../alone.ts';
import type { CommandContext } from '../io.ts';
import type { AddDeviceOptions, DeviceOptions } from '../run/names/devices.ts';
import { Command, jsonOption, mapOption } from './common-options.ts';

/** Longer than phones are kept. */
const mostDays = 3650;

export function devices(context: CommandContext): Command {
  const command = new Command('devices').description('the phones and computers that pass a gate by a certificate');
  const making = (name: 'add' | 'renew', description: string): Command =>
    below(name, description)
      .argument('<device>', 'name of the device, such as phone')
      .option('--out <file>', 'where to write key and certificate (default: DEVICE.p12 in this folder)')
      .option('--days <number>', 'how long the certificate counts', daysOf, 730)
      .option('--modern', 'encrypt the file in a way that systems from before 2022 cannot import');
  command.addCommand(
    making('add', 'make a key and certificate for a device, and show the password of the file once')
      .option('--gate <name>', 'gate that lets it pass; the map is changed where it names devices')
      .action(async (device: string, options: AddDeviceOptions) => {
        const { runAddDevice } = await import('../run/names/devices.ts');
        await alone(options, 'devices add', context.io, () => runAddDevice(device, options, context));
      }),
  );
  command.addCommand(
    making('renew', 'make a new certificate for a device; the one before counts until it ends').action(
      async (device: string, options: AddDeviceOptions) => {
        const { runRenewDevice } = await import('../run/names/devices.ts');
        await alone(options, 'devices renew', context.io, () => runRenewDevice(device, options, context));
      },
    ),
  );
  command.addCommand(
    below('remove', 'remove a device; the front refuses it from its next connection on')
      .argument('<device>', 'which one')
      .action(async (device: string, options: DeviceOptions) => {
        const { runRemoveDevice } = await import('../run/names/devices.ts');
        await alone(options, 'devices remove', context.io, () => runRemoveDevice(device, options, context));
      }),
  );
  command.addCommand(
    below('list', 'list the devices, their gates, and when their certificates end')
      .addOption(jsonOption())
      .action(async (options: DeviceOptions) => {
        const { runListDevices } = await import('../run/names/devices.ts');
        await runListDevices(options, context);
      }),
  );
  return command;
}

function below(name: string, description: string): Command {
  return new Command(name).description(description).addOption(mapOption());
}

function daysOf(text: string): number {
  const days = Number(text);
  if (/^\d+$/.test(text) && days >= 1 && days <= mostDays) return days;
  throw new InvalidArgumentError(`Write a number of days from 1 to ${String(mostDays)}.`);
}
