import type { Location } from '../../errors.js';
import { LISTING_FIELDS, NOTES, PICTURE_CLASSES, type PictureClass } from '../../listing/fields.js';
import { type StoreName, storeLanguage } from '../../listing/languages.js';
import { type LanguageListing, type Listing, picturesOf } from '../../listing/read.js';
import { fileDigest } from '../../util/files.js';
import type { PictureKey, Store, StoreContact, StoreEdit, StoreState } from '../types.js';

/** A change of what a store shows: shown before it is made, and made as it is shown. */
export interface StoreChange {
  /** What changes, as people call it: `en-US name`, `de-DE pictures of phones`. */
  readonly what: string;
  /** As the store has it now; `undefined` for nothing. */
  readonly before: string | undefined;
  readonly after: string;
  /** Where the project says so. */
  readonly location: Location;
  readonly make: (edit: StoreEdit) => Promise<void>;
}

/** Changes that one call makes: it goes with the first of them. */
const madeTogether = (
  changes: readonly Omit<StoreChange, 'make'>[],
  make: StoreChange['make'],
): StoreChange[] =>
  changes.map((one, index) => ({ ...one, make: index === 0 ? make : async () => undefined }));

/** The listing's languages that a store has, each by the store's name for it. */
export function languagesIn(listing: Listing, store: StoreName): ReadonlyMap<string, LanguageListing> {
  return new Map(
    listing.languages.flatMap((one): [string, LanguageListing][] => {
      const language = storeLanguage(store, one.language);
      return language === undefined ? [] : [[language, one]];
    }),
  );
}

/** Texts of the listing that a store's listing has, the release notes not among them. */
const fieldsOf = (store: StoreName) =>
  LISTING_FIELDS.filter(({ key, called }) => called[store] !== undefined && key !== NOTES);

export function textChanges(listing: Listing, state: StoreState, store: StoreName): StoreChange[] {
  const now = new Map(state.listings.map(({ language, texts }) => [language, texts]));
  return [...languagesIn(listing, store)].flatMap(([language, { texts }]): StoreChange[] => {
    const own = now.get(language);
    const wanted = new Map(own);
    const changed: Omit<StoreChange, 'make'>[] = [];
    for (const { key, called } of fieldsOf(store)) {
      const text = texts.get(key);
      const before = own?.get(key);
      if (text === undefined || text.value === before) continue;
      wanted.set(key, text.value);
      changed.push({
        what: `${language} ${called[store]}`,
        before,
        after: text.value,
        location: text.location,
      });
    }
    return madeTogether(changed, (edit) => edit.setListing(language, wanted));
  });
}

/** Pictures whose bytes are not those that the store has, by the digests of what was uploaded. */
export async function pictureChanges(
  listing: Listing,
  edit: StoreEdit,
  state: StoreState,
  { name: store, digest }: Pick<Store, 'name' | 'digest'>,
): Promise<StoreChange[]> {
  const known = new Set(state.listings.map(({ language }) => language));
  const sets: { readonly key: PictureKey; readonly of: PictureClass; readonly files: readonly string[] }[] =
    [];
  for (const [language, { language: tag }] of languagesIn(listing, store)) {
    for (const of of PICTURE_CLASSES.filter((one) => one.store === store)) {
      const files = picturesOf(listing, of, tag);
      if (files.length > 0) sets.push({ key: { language, type: of.type }, of, files });
    }
  }
  const asked = sets.filter(({ key }) => known.has(key.language));
  const answers = asked.length === 0 ? [] : await edit.pictures(asked.map(({ key }) => key));
  const now = new Map(asked.map((set, index) => [set, answers[index] ?? []]));
  const digests = new Map<string, string>();
  for (const file of new Set(sets.flatMap(({ files }) => files)))
    digests.set(file, await fileDigest(file, digest));
  return sets.flatMap((set): StoreChange[] => {
    const { key, of, files } = set;
    const before = (now.get(set) ?? []).map((one) => one.digest);
    if (before.join() === files.map((file) => digests.get(file)).join()) return [];
    return [
      {
        what: `${key.language} pictures: ${of.shows}`,
        before: before.length === 0 ? undefined : String(before.length),
        after: String(files.length),
        location: { file: files[0] as string },
        make: (open) => open.setPictures(key, files),
      },
    ];
  });
}

/**
 * @param contact as `hull.json` says; what it does not say stays as it is
 * @param fields that the store has
 */
export function contactChanges(
  contact: StoreContact,
  fields: readonly (keyof StoreContact)[],
  language: string,
  state: StoreState,
  locate: (key: keyof StoreContact | 'language') => Location,
): StoreChange[] {
  const changed: Omit<StoreChange, 'make'>[] = [];
  if (state.defaultLanguage !== language) {
    changed.push({
      what: 'default language',
      before: state.defaultLanguage,
      after: language,
      location: locate('language'),
    });
  }
  for (const key of fields) {
    const after = contact[key];
    if (after === undefined || after === state.contact[key]) continue;
    changed.push({
      what: key === 'privacy' ? 'privacy page' : `contact ${key}`,
      before: state.contact[key],
      after,
      location: locate(key),
    });
  }
  return madeTogether(changed, (edit) => edit.setContact({ ...contact, defaultLanguage: language }));
}

export async function testerChanges(
  testers: Readonly<Record<string, readonly string[]>>,
  edit: StoreEdit,
  locate: (track: string) => Location,
): Promise<StoreChange[]> {
  const changes: StoreChange[] = [];
  for (const [track, groups] of Object.entries(testers)) {
    const before = await edit.testers(track);
    if ([...before].sort().join() === [...groups].sort().join()) continue;
    changes.push({
      what: `testers of ${track}`,
      before: before.length === 0 ? undefined : before.join(', '),
      after: groups.join(', '),
      location: locate(track),
      make: (open) => open.setTesters(track, groups),
    });
  }
  return changes;
}
