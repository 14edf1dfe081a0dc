import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import Ajv from 'ajv';

const folder = join(import.meta.dirname, '../../schema/output');
const ajv = new Ajv.default({ allErrors: true, strict: false });
const validators = new Map<string, ReturnType<typeof ajv.compile>>();

function validatorOf(command: string) {
  const known = validators.get(command);
  if (known) return known;
  const name = `${command.replaceAll(' ', '-')}.schema.json`;
  if (!readdirSync(folder).includes(name)) return undefined;
  const made = ajv.compile(JSON.parse(readFileSync(join(folder, name), 'utf8')));
  validators.set(command, made);
  return made;
}

/** Throws where what a command printed with `--json` is no document of its schema. */
export function checkDocument(
  args: readonly string[],
  { code, out }: { code: number | null; out: string },
): void {
  if (!args.includes('--json') || args.includes('--help') || out === '') return;
  const document = JSON.parse(out) as { format: number; command: string; ok: boolean };
  if (document.ok !== (code === 0)) throw new Error(`"ok" is ${document.ok}, and the exit code ${code}`);
  const validate = validatorOf(document.command);
  // A wrong command has no document of its own.
  if (validate === undefined) {
    if (document.ok) throw new Error(`there is no schema for "${document.command}"`);
    return;
  }
  if (!validate(document)) {
    throw new Error(`${args.join(' ')}: ${ajv.errorsText(validate.errors)}\n${out.slice(0, 2000)}`);
  }
}
