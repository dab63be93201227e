import { Option } from 'commander';
import { Command, jsonOption, mapOption } from './common-options.ts';
import type { PeopleOptions, AddPersonOptions } from '../run/names/people.ts';
import { alone } from '../alone.ts';
import type { CommandContext } from '../io.ts';

export function people(context: CommandContext): Command {
  const command = new Command('people').description('the people of a gate, who log in with a password');
  command.addCommand(
    below('add', 'add a person or set a new password; asks for the password')
      .argument('<name>', 'name of the person, such as edda')
      .addOption(new Option('--generate', 'generate a password and print it once').conflicts('stdin'))
      .option('--stdin', 'read the password from standard input, one line')
      .option('--print', 'print the line instead of writing the file')
      .addOption(
        new Option('--for-compose', 'print the line with dollar signs doubled, as Compose files need it').implies({
          print: true,
        }),
      )
      .action(async (name: string, options: AddPersonOptions) => {
        const { runAddPerson } = await import('../run/names/people.ts');
        await alone({ ...options, dryRun: options.print === true }, 'people add', context.io, () =>
          runAddPerson(name, options, context),
        );
      }),
  );
  command.addCommand(
    below('remove', 'remove a person')
      .argument('<name>', 'who it is')
      .action(async (name: string, options: PeopleOptions) => {
        const { runRemovePerson } = await import('../run/names/people.ts');
        await alone(options, 'people remove', context.io, () => runRemovePerson(name, options, context));
      }),
  );
  command.addCommand(
    below('list', 'list the people, with the kind and cost of each hash')
      .addOption(jsonOption())
      .action(async (options: PeopleOptions) => {
        const { runListPeople } = await import('../run/names/people.ts');
        await runListPeople(options, context);
      }),
  );
  command.addCommand(
    below('check', 'test a password; asks for it')
      .argument('<name>', 'who it is')
      .option('--stdin', 'read the password from standard input, one line')
      .action(async (name: string, options: AddPersonOptions) => {
        const { runCheckPerson } = await import('../run/names/people.ts');
        await runCheckPerson(name, options, context);
      }),
  );
  return command;
}

function below(name: string, description: string): Command {
  return new Command(name)
    .description(description)
    .option('--gate <name>', 'gate, if several gates have people')
    .addOption(mapOption());
}
