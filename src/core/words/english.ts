/** The shell's words to users: what a passenger understands, not what a developer would. The preview shows some of them. */
export const ENGLISH = {
  offlineTitle: 'No connection',
  offlineText:
    'This page could not be loaded. Check your internet connection. The page opens when you are back online.',
  unsafeTitle: 'This page is not safe to open',
  unsafeText: 'A secure connection could not be established. Please try again later.',
  notFoundTitle: 'Page not found',
  notFoundText: 'It may have moved. Go back, or try again later.',
  serverTitle: 'Not working right now',
  serverText: 'Something went wrong on our side. Please try again shortly.',
  stoppedTitle: 'This page keeps stopping',
  stoppedText: 'Close other apps, then try again.',
  noEngineTitle: 'Pages cannot be shown',
  noEngineText:
    'Android System WebView is missing, turned off or being updated. Please try again in a minute.',
  retry: 'Try again',
  trying: 'Trying…',
  reload: 'Reload',
  askYes: 'Continue',
  askNo: 'Not now',
  refused: 'You declined this earlier. You can turn it on in Settings.',
  leaveTitle: 'Leave this page?',
  user: 'Username',
  saved: 'Saved',
  notSaved: 'It could not be saved.',
  downloading: 'Downloading…',
  notShared: 'No browser on this device can take what you share.',
  sendAgain: 'Send what you entered again?',
  send: 'Send again',
  saveImage: 'Save picture',
  open: 'Open',
  allow: 'Allow',
  back: 'Back',
  cancel: 'Cancel',
  chooseFile: 'Choose a file',
  close: 'Close',
  copyLink: 'Copy link',
  leave: 'Leave',
  noApp: 'No app on this device can open this.',
  ok: 'OK',
  password: 'Password',
  settings: 'Settings',
  share: 'Share',
  signIn: 'Sign in',
  stay: 'Stay',
} as const;

export type WordKey = keyof typeof ENGLISH;

/** Words that the platform has in every language it speaks (Words.java): they need no translation of ours. */
export const PLATFORM_WORDS = [
  'allow',
  'back',
  'cancel',
  'chooseFile',
  'close',
  'copyLink',
  'leave',
  'noApp',
  'ok',
  'password',
  'settings',
  'share',
  'signIn',
  'stay',
] as const satisfies readonly WordKey[];

/** One language's words. */
export type Translation = Readonly<Record<Exclude<WordKey, (typeof PLATFORM_WORDS)[number]>, string>> & {
  /** Whether somebody who speaks it from childhood has read them; until then they are a machine's draft. */
  readonly reviewed: boolean;
};
