/**
 * Languages in which stores show a listing, as their APIs write them (Android: console help, "Add your own translation";
 * Apple: App Store Connect reference, "App Store localizations").
 */

export type StoreName = 'android' | 'apple';

const LANGUAGES: Readonly<Record<StoreName, readonly string[]>> = {
  android:
    `af sq am ar hy-AM az-AZ bn-BD eu-ES be bg my-MM ca zh-HK zh-CN zh-TW hr cs-CZ da-DK nl-NL en-US en-GB en-AU en-CA en-IN en-SG
    en-ZA et fil fi-FI fr-FR fr-CA gl-ES ka-GE de-DE el-GR gu iw-IL hi-IN hu-HU is-IS id it-IT ja-JP kn-IN kk km-KH ko-KR ky-KG
    lo-LA lv lt mk-MK ms ms-MY ml-IN mr-IN mn-MN ne-NP no-NO fa fa-AE fa-AF fa-IR pl-PL pt-PT pt-BR pa ro rm ru-RU sr si-LK sk sl
    es-ES es-419 es-US sw sv-SE ta-IN te-IN th tr-TR uk ur vi zu`.split(/\s+/),
  apple:
    `ar-SA bn-BD ca cs da de-DE el en-US en-GB en-AU en-CA es-ES es-MX fi fr-FR fr-CA gu-IN he hi hr hu id it ja kn-IN ko ml-IN mr-IN
    ms nl-NL no or-IN pa-IN pl pt-PT pt-BR ro ru sk sl-SI sv ta-IN te-IN th tr uk ur-PK vi zh-Hans zh-Hant`.split(
      /\s+/,
    ),
};

/** Languages that a store writes in its own way, by what BCP 47 calls them. */
const OTHERWISE: Readonly<Record<StoreName, Readonly<Record<string, string>>>> = {
  android: {
    en: 'en-US',
    he: 'iw-IL',
    'he-il': 'iw-IL',
    nb: 'no-NO',
    no: 'no-NO',
    zh: 'zh-CN',
    'zh-hans': 'zh-CN',
    'zh-hant': 'zh-TW',
    tl: 'fil',
    'es-mx': 'es-419',
  },
  apple: {
    en: 'en-US',
    nb: 'no',
    iw: 'he',
    zh: 'zh-Hans',
    'zh-cn': 'zh-Hans',
    'zh-tw': 'zh-Hant',
    'zh-hk': 'zh-Hant',
    'es-419': 'es-MX',
  },
};

/** All that a store knows. */
export const storeLanguages = (store: StoreName): readonly string[] => LANGUAGES[store];

/**
 * A language tag (BCP 47) as a store writes it: the same, or the first of its language. `undefined` where the store does not have
 * it.
 */
export function storeLanguage(store: StoreName, tag: string): string | undefined {
  const wanted = tag.toLowerCase();
  const known = LANGUAGES[store];
  const own = OTHERWISE[store][wanted] ?? known.find((one) => one.toLowerCase() === wanted);
  if (own !== undefined || wanted.includes('-')) return own;
  return known.find((one) => one.toLowerCase().startsWith(`${wanted}-`));
}
