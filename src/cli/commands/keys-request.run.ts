import { requestCertificate } from '../../core/tasks/request-certificate.js';
import type { OptionsOf } from '../define-command.js';
import { columns, labelled } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';
import { newPasswordOf } from '../terminal/passwords.js';
import type { declare } from './keys-request.js';

export async function run(io: Io, options: OptionsOf<typeof declare>, name: string): Promise<void> {
  const made = await requestCertificate({
    project: options.project,
    name,
    commonName: options.commonName,
    password: newPasswordOf(io, options),
  });
  if (io.json) {
    emit(io, 'keys request', { name, key: made.key, request: made.request });
    return;
  }
  const { paint } = io;
  io.out(`${paint.bold(`Request "${name}"`)} made, and the key that it is for`);
  io.out(
    columns([
      ['request', made.request],
      ['key', `${made.key} (RSA 2048, encrypted)`],
    ]),
  );
  io.note(
    labelled(
      paint.warn('keep it'),
      'The certificate works with this key alone, and Apple does not have it. Keep the file and its password until the certificate is imported.',
      io.width,
    ),
  );
  io.note(
    labelled(
      paint.dim('next'),
      `In the developer account, make a certificate "Apple Development" or "Apple Distribution", and upload ${made.request} for it. Then: hull keys import <certificate> --certificate <those of its issuers>`,
      io.width,
    ),
  );
}
