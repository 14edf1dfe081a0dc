import type { Command } from '@commander-js/extra-typings';
import { defineCommand } from '../define-command.js';
import { project, questions } from '../options/project.js';
import { password } from '../options/signing.js';

export const declare = (command: Command) =>
  project(
    questions(
      password(
        command
          .argument('<file>', 'PKCS#12, JKS, JCEKS, PEM or DER file, or a certificate that was requested')
          .option('--as <name>', 'name of the key in hull.json (default: that of its request, else release)')
          .option('--alias <alias>', 'which key, where the file holds several')
          .option('--certificate <file...>', 'certificates that the file lacks: the key’s own, its issuers’')
          .option(
            '--old-password-file <file>',
            'password of the file (else HULL_OLD_KEY_PASSWORD, else the prompt)',
          )
          .option('--key-password-file <file>', 'password of the key, where it has one of its own'),
      ),
    ),
  );

export const keysImport = defineCommand({
  words: 'keys import',
  summary:
    'import a key from a keystore of any age and kind, or the certificate of a request; the original is not touched',
  examples: [
    'hull keys import old/ferry.jks --alias ferry',
    'hull keys import ferry.pem --as upload',
    'hull keys import development.cer --certificate issuer.cer root.cer',
  ],
  declare,
  load: async () => (await import('./keys-import.run.js')).run,
});
