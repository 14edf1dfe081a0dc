import type { ProjectSource } from '../project/project.js';
import type { PasswordOf } from './passwords.js';

export interface SignOptions {
  /** Folder of `hull.json`, for the key. */
  readonly project?: ProjectSource | undefined;
  /** An `.apk`, `.aab` or `.ipa` file from anyone; it is not changed. */
  readonly file: string;
  /** File to write; by default beside it, with `-signed` behind its name. */
  readonly out?: string | undefined;
  readonly key?: string | undefined;
  /** File of the provisioning profile, for an `.ipa`; by default `apple.profile`. */
  readonly profile?: string | undefined;
  readonly password: PasswordOf;
  /** Makes a v1 (JAR) signature too, where no device would need it. */
  readonly v1?: boolean | undefined;
  readonly signal?: AbortSignal | undefined;
}
