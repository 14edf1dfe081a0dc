import { HullError } from '../errors.js';
import type { OwnAnswers } from '../site/answer-rules.js';
import { mayBeSent, patternOf } from '../site/host-files.js';
import { pointerStep } from '../util/json-locations.js';
import type { Project } from './project.js';

const withoutSlash = (path: string) => path.replace(/^\//, '');

/**
 * What `hull.json` says of how packed pages answer.
 *
 * @throws HullError `config.bad-value`
 */
export function ownAnswers(project: Project): OwnAnswers {
  const { fallback, fallback_except, headers } = project.settings.web;
  return {
    ...(fallback === undefined ? {} : { fallback: withoutSlash(fallback) }),
    except: fallback_except.map(withoutSlash),
    headers: Object.entries(headers).map(([text, fields]) => {
      const pointer = `/web/headers/${pointerStep(text)}`;
      const path = patternOf(text);
      if (path === undefined) {
        throw new HullError('config.bad-value', `"${text}" is not a path of packed pages.`, {
          location: project.json.locationOfKey(pointer),
          fix: 'Write a path, or the beginning of one and *: /embed.html, /js/*, or /* for all.',
        });
      }
      for (const [name, value] of Object.entries(fields)) {
        if (mayBeSent(name) && !/[\r\n\0]/.test(value)) continue;
        throw new HullError('config.bad-value', `Packed pages cannot be sent with the field "${name}".`, {
          location: project.location(`${pointer}/${pointerStep(name)}`),
          fix: 'Remove it. The shell itself decides on types, lengths, ranges and cookies.',
        });
      }
      return { path, fields };
    }),
  };
}
