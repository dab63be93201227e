import { Option } from 'commander';
import { Command, jsonOption, mapOption, type CommandContext } from './context.ts';

export interface PeopleOptions {
  map?: string;
  gate?: string;
  json?: boolean;
}

export interface AddPersonOptions extends PeopleOptions {
  generate?: boolean;
  stdin?: boolean;
  print?: boolean;
  forCompose?: boolean;
}

export function people(context: CommandContext): Command {
  const command = new Command('people').description('the people of a gate: who may pass with a password');
  command.addCommand(
    below('add', 'add somebody, or give somebody a new password; it is asked for, and never an argument')
      .argument('<name>', 'who it is, such as edda')
      .addOption(new Option('--generate', 'make a password and print it once').conflicts('stdin'))
      .option('--stdin', 'read the password from standard input, one line')
      .option('--print', 'print the line instead of writing the file')
      .addOption(
        new Option('--for-compose', 'print the line with dollar signs doubled, as a Compose file needs them').implies({
          print: true,
        }),
      )
      .action(async (name: string, options: AddPersonOptions) => {
        const { runAddPerson } = await import('../run/people.ts');
        await runAddPerson(name, options, context);
      }),
  );
  command.addCommand(
    below('remove', 'take somebody out')
      .argument('<name>', 'who it is')
      .action(async (name: string, options: PeopleOptions) => {
        const { runRemovePerson } = await import('../run/people.ts');
        await runRemovePerson(name, options, context);
      }),
  );
  command.addCommand(
    below('list', 'who is in it, with the kind of each hash and what it costs')
      .addOption(jsonOption())
      .action(async (options: PeopleOptions) => {
        const { runListPeople } = await import('../run/people.ts');
        await runListPeople(options, context);
      }),
  );
  command.addCommand(
    below('check', 'say whether a password is right; it is asked for')
      .argument('<name>', 'who it is')
      .option('--stdin', 'read the password from standard input, one line')
      .action(async (name: string, options: AddPersonOptions) => {
        const { runCheckPerson } = await import('../run/people.ts');
        await runCheckPerson(name, options, context);
      }),
  );
  return command;
}

function below(name: string, description: string): Command {
  return new Command(name)
    .description(description)
    .option('--gate <name>', 'the gate whose people are meant; needed when gates have different ones')
    .addOption(mapOption());
}
