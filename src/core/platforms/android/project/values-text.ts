import type { ResourceConfig, ResourceTable } from '../../../formats/arsc/types.js';
import { attributeName } from '../app/attributes.js';
import { resourceText, valueText } from './xml-text.js';

/** The qualifier of a values folder: `-de`, `-pt-rBR`, `-b+zh+Hant`, `-night-v31`. */
export function qualifier({ locale, night, sdk }: ResourceConfig): string {
  const parts: string[] = [];
  if (locale !== undefined) {
    const steps = locale.split('-');
    const isSimple =
      steps.length <= 2 && steps[0]?.length === 2 && (steps[1] === undefined || /^[A-Z]{2}$/.test(steps[1]));
    parts.push(isSimple ? steps.join('-r') : `b+${steps.join('+')}`);
  }
  if (night !== undefined) parts.push(night ? 'night' : 'notnight');
  if (sdk !== undefined) parts.push(`v${sdk}`);
  return parts.map((part) => `-${part}`).join('');
}

/** Colours, strings and styles as `res/values…/*.xml`: path → text. Types whose values are files have none. */
export function valuesFiles(table: ResourceTable, names: ReadonlyMap<number, string>): Map<string, string> {
  const lines = new Map<string, string[]>();
  // The platform's checks want every other text in every language.
  const isTranslated = new Set<string>();
  const add = (file: string, config: ResourceConfig, line: string) => {
    const path = `res/values${qualifier(config)}/${file}.xml`;
    lines.set(path, [...(lines.get(path) ?? []), line]);
  };
  for (const type of table.packages.flatMap((one) => one.types)) {
    for (const { name, values } of type.entries) {
      if (values.some(({ config }) => config.locale !== undefined)) isTranslated.add(name);
      for (const { config, value } of values) {
        if (type.name === 'color' && value.type !== 'bag')
          add('colors', config, `    <color name="${name}">${valueText('', value, names)}</color>`);
        if (type.name === 'string' && value.type === 'string')
          add(
            'strings',
            config,
            `    <string name="${name}"${isTranslated.has(name) ? '' : ' translatable="false"'}>${resourceText(value.text)}</string>`,
          );
        if (type.name === 'style' && value.type === 'bag') {
          const items = value.items.map(({ key, value: item }) => {
            const attribute = attributeName(key) ?? '';
            return `        <item name="android:${attribute}">${valueText(attribute, item, names)}</item>`;
          });
          const parent = names.get(value.parent) ?? '';
          add(
            'styles',
            config,
            items.length === 0
              ? `    <style name="${name}" parent="${parent}"/>`
              : `    <style name="${name}" parent="${parent}">\n${items.join('\n')}\n    </style>`,
          );
        }
      }
    }
  }
  return new Map(
    [...lines].map(([path, own]) => [
      path,
      `<?xml version="1.0" encoding="utf-8"?>\n<resources>\n${own.join('\n')}\n</resources>\n`,
    ]),
  );
}
