import { AnyMap, originalPositionFor, type TraceMap } from '@jridgewell/trace-mapping';
import type { Inspection } from '../browser/inspection.js';
import { isObject } from '../util/json-object.js';
import { parseUrl } from '../util/url-path.js';
import type { ScriptPlace } from './events.js';

/** Files of the project that pages may have been made from: text by the path of an address; `undefined` where there is none. */
export type ProjectText = (url: URL) => string | undefined;

interface Script {
  readonly url: string;
  readonly id: string;
  /** As its last comment names it (ECMA-426, "sourceMappingURL"). */
  readonly map: string;
}

const DATA = /^data:application\/json[^,]*?(;base64)?,(.*)$/s;
const LONGEST_MAP = 64 * 1024 * 1024;

function inlineMap(address: string): string | undefined {
  const [, base64, data] = DATA.exec(address) ?? [];
  if (data === undefined) return undefined;
  try {
    return base64 === undefined ? decodeURIComponent(data) : Buffer.from(data, 'base64').toString('utf8');
  } catch {
    return undefined;
  }
}

/** Sources of what pages run, by the source maps of their scripts. */
export class SourceMaps {
  readonly #inspection: Inspection;
  readonly #projectText: ProjectText;
  readonly #scripts = new Map<string, Script>();
  readonly #maps = new Map<string, Promise<TraceMap | undefined>>();
  /** Frame whose rights a map is loaded with. */
  frame: string | undefined;

  constructor(inspection: Inspection, projectText: ProjectText) {
    this.#inspection = inspection;
    this.#projectText = projectText;
  }

  /** Takes note of a script that the page has read (Debugger.scriptParsed). */
  learn(script: Script): void {
    if (script.map !== '') this.#scripts.set(script.url, script);
  }

  /** The place with its source, where a map that belongs to this very script says so. */
  async locate(place: ScriptPlace): Promise<ScriptPlace> {
    const map = await this.#mapOf(place.url);
    if (map === undefined) return place;
    const { source, line, column } = originalPositionFor(map, {
      line: place.line,
      column: Math.max(0, place.column - 1),
    });
    if (source === null) return place;
    return { ...place, source: { file: shownSource(source), line, column: column + 1 } };
  }

  #mapOf(url: string): Promise<TraceMap | undefined> {
    const script = this.#scripts.get(url);
    if (script === undefined) return Promise.resolve(undefined);
    const known = this.#maps.get(script.id);
    if (known) return known;
    const loading = this.#load(script).catch(() => undefined);
    this.#maps.set(script.id, loading);
    return loading;
  }

  async #load(script: Script): Promise<TraceMap | undefined> {
    const json = inlineMap(script.map) ?? (await this.#fromProject(script)) ?? (await this.#fromPage(script));
    if (json === undefined || json.length > LONGEST_MAP) return undefined;
    return new AnyMap(json);
  }

  /** Packages hold no source maps; the project's folder does. Its map counts where its script is the one that runs. */
  async #fromProject({ url, id, map }: Script): Promise<string | undefined> {
    const script = parseUrl(url);
    const address = parseUrl(map, script);
    if (script === undefined || address === undefined) return undefined;
    const json = this.#projectText(address);
    const own = json === undefined ? undefined : this.#projectText(script);
    if (own === undefined) return undefined;
    const { scriptSource } = await this.#inspection.send('Debugger.getScriptSource', { scriptId: id });
    return scriptSource === own ? json : undefined;
  }

  /** Has the page load it, which may reach what this computer does not. */
  async #fromPage({ url, map }: Script): Promise<string | undefined> {
    const address = parseUrl(map, parseUrl(url));
    if (address === undefined || !/^https?:$/.test(address.protocol) || this.frame === undefined)
      return undefined;
    const { resource } = await this.#inspection.send('Network.loadNetworkResource', {
      frameId: this.frame,
      url: address.href,
      options: { disableCache: false, includeCredentials: true },
    });
    if (!isObject(resource) || resource.success !== true || typeof resource.stream !== 'string')
      return undefined;
    let json = '';
    for (;;) {
      const piece = await this.#inspection.send('IO.read', { handle: resource.stream });
      const data = typeof piece.data === 'string' ? piece.data : '';
      json += piece.base64Encoded === true ? Buffer.from(data, 'base64').toString('utf8') : data;
      if (piece.eof === true || json.length > LONGEST_MAP) break;
    }
    await this.#inspection.send('IO.close', { handle: resource.stream });
    return json;
  }
}

/** A source as people know it: without the scheme that a bundler gives it, and without the way up to its folder. */
function shownSource(source: string): string {
  if (/^https?:/i.test(source)) return source;
  return source.replace(/^[a-z][\w+.-]*:\/\/[^/]*\//i, '').replace(/^(?:\.\.?\/)+/, '');
}
