import { dictIn, type PlistDict, stringIn } from '../../../formats/plist/types.js';
import { debug } from '../../../util/debug.js';
import { gone, heard } from './faults.js';
import type { PlistMessages } from './plist-messages.js';

/** An app that a device has. */
export interface InstalledApp {
  readonly version: string | undefined;
  readonly build: string | undefined;
}

/** What a device said against a package. */
export interface DeviceRefusal {
  /** As in `ApplicationVerificationFailed`. */
  readonly error: string;
  readonly description: string;
}

/** Milliseconds between two words of a device that is installing: it checks every page of the program. */
const INSTALL_PATIENCE = 300_000;
const WHAT = 'the package was installed';

/** The service that installs apps (installation_proxy). */
export class Installer {
  readonly #messages: PlistMessages;

  constructor(messages: PlistMessages) {
    this.#messages = messages;
  }

  /** What a device has of an app; `undefined` where it has none. Throws `device.*`. */
  async find(id: string): Promise<InstalledApp | undefined> {
    const answer = await this.#messages.ask(
      {
        Command: 'Lookup',
        ClientOptions: {
          BundleIDs: [id],
          ReturnAttributes: ['CFBundleIdentifier', 'CFBundleShortVersionString', 'CFBundleVersion'],
        },
      },
      'it was asked which apps it has',
    );
    const found = dictIn(answer, 'LookupResult')[id];
    if (found === undefined) return undefined;
    const app = dictIn(dictIn(answer, 'LookupResult'), id);
    return { version: stringIn(app, 'CFBundleShortVersionString'), build: stringIn(app, 'CFBundleVersion') };
  }

  /**
   * Installs a package that is on the device already, or brings an app up to date.
   *
   * @param file its path on the device
   * @param onProgress called with what the device does, and how far it is in percent
   * @returns what the device has against it, where it refuses
   * @throws HullError `device.*`
   */
  async install(
    file: string,
    options: PlistDict,
    onProgress: (doing: string, percent: number) => void,
  ): Promise<DeviceRefusal | undefined> {
    const { stream } = this.#messages;
    const { patience } = stream;
    stream.patience = patience === undefined ? undefined : Math.max(patience, INSTALL_PATIENCE);
    try {
      return await heard(WHAT, async () => {
        await this.#messages.send({ Command: 'Install', PackagePath: file, ClientOptions: options });
        for (;;) {
          const said = await this.#messages.next();
          if (!said) throw gone(WHAT);
          const error = stringIn(said, 'Error');
          debug('device: %s', error ?? said.Status);
          if (error !== undefined) return { error, description: stringIn(said, 'ErrorDescription') ?? '' };
          const status = stringIn(said, 'Status') ?? '';
          if (status === 'Complete') return undefined;
          const { PercentComplete: percent } = said;
          onProgress(status, typeof percent === 'number' ? percent : 0);
        }
      });
    } finally {
      stream.patience = patience;
    }
  }
}
