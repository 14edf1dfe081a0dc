import type { Engine } from '../../../project/config.js';

/** A permission of the system, and the API level from which it means something. */
export interface SystemPermission {
  /** Behind `android.permission.` */
  readonly name: string;
  readonly minSdk?: number;
}

/** What a capability of the web platform becomes in an Android app. */
export interface CapabilityOnAndroid {
  readonly permissions: readonly SystemPermission[];
  /** Hardware and software features that the permissions imply; always declared as not required. */
  readonly features: readonly string[];
  /**
   * Who asks the user in the `webview` engine: the `system`, after the app has shown its reason; the `app` alone, where the
   * system has no question; `nobody`; or it can `never` be had there.
   */
  readonly webview: 'system' | 'app' | 'nobody' | 'never';
  /** Who asks in the `browser` engine; the `app` where browsers hand the question, and what was allowed, to it. */
  readonly browser: 'browser' | 'app' | 'nobody';
  /** What the user is asked to allow: “… to use your location”. */
  readonly allow: string;
  /** What store reviewers ask about it. */
  readonly review?: string;
}

const LOCATION = [
  'android.hardware.location',
  'android.hardware.location.gps',
  'android.hardware.location.network',
];
const permission = (name: string, levels: Omit<SystemPermission, 'name'> = {}): SystemPermission => ({
  name,
  ...levels,
});

/** A capability that a web view has not got, and that a browser asks for by itself. */
const onlyBrowser = (allow: string): CapabilityOnAndroid => ({
  permissions: [],
  features: [],
  webview: 'never',
  browser: 'browser',
  allow,
});

const sensor = (allow: string, feature?: string): CapabilityOnAndroid => ({
  permissions: [],
  features: feature === undefined ? [] : [feature],
  webview: 'nobody',
  browser: 'nobody',
  allow,
});

/**
 * Capabilities by their W3C names (site/capabilities.ts). Sources: Android's permission and feature references;
 * android.webkit.PermissionRequest and WebChromeClient for what a web view hands to its app.
 */
export const ANDROID_CAPABILITIES: Readonly<Record<string, CapabilityOnAndroid>> = {
  geolocation: {
    permissions: [permission('ACCESS_COARSE_LOCATION'), permission('ACCESS_FINE_LOCATION')],
    features: LOCATION,
    webview: 'system',
    browser: 'app',
    allow: 'use your location',
    review: 'What the user gets for the location, and whether the privacy policy names it.',
  },
  camera: {
    permissions: [permission('CAMERA')],
    features: ['android.hardware.camera', 'android.hardware.camera.any', 'android.hardware.camera.autofocus'],
    webview: 'system',
    browser: 'browser',
    allow: 'take pictures and record video',
    review: 'Which part of the app takes pictures, and where they go.',
  },
  microphone: {
    permissions: [permission('RECORD_AUDIO'), permission('MODIFY_AUDIO_SETTINGS')],
    features: ['android.hardware.microphone'],
    webview: 'system',
    browser: 'browser',
    allow: 'record sound',
    review: 'Which part of the app records, and where the sound goes.',
  },
  notifications: {
    permissions: [permission('POST_NOTIFICATIONS', { minSdk: 33 })],
    features: [],
    webview: 'system',
    browser: 'app',
    allow: 'send you notifications',
  },
  push: {
    permissions: [permission('POST_NOTIFICATIONS', { minSdk: 33 })],
    features: [],
    webview: 'never',
    browser: 'app',
    allow: 'send you notifications',
  },
  midi: {
    permissions: [],
    features: ['android.software.midi'],
    webview: 'app',
    browser: 'browser',
    allow: 'use your MIDI instruments',
  },
  'encrypted-media': {
    permissions: [],
    features: [],
    webview: 'app',
    browser: 'browser',
    allow: 'play protected media, for which it learns an identifier of this device',
  },
  vibration: {
    permissions: [permission('VIBRATE')],
    features: [],
    webview: 'nobody',
    browser: 'nobody',
    allow: 'let the device vibrate',
  },
  accelerometer: sensor('read how the device moves', 'android.hardware.sensor.accelerometer'),
  gyroscope: sensor('read how the device turns', 'android.hardware.sensor.gyroscope'),
  magnetometer: sensor('read the compass', 'android.hardware.sensor.compass'),
  'ambient-light-sensor': onlyBrowser('read how bright it is'),
  'screen-wake-lock': sensor('keep the screen on'),
  'display-capture': onlyBrowser('record the screen'),
  bluetooth: onlyBrowser('connect to a Bluetooth device'),
  usb: onlyBrowser('connect to a USB device'),
  serial: onlyBrowser('connect to a serial device'),
  hid: onlyBrowser('connect to an input device'),
  nfc: onlyBrowser('read NFC tags'),
  contacts: onlyBrowser('see the contacts that you choose'),
  'clipboard-read': {
    permissions: [],
    features: [],
    webview: 'app',
    browser: 'browser',
    allow: 'see what you copied',
  },
  'idle-detection': onlyBrowser('know when you are away'),
  'xr-spatial-tracking': onlyBrowser('see the room around you'),
};

/** What a capability becomes; `undefined` where no permission and no question belongs to it. */
export function onAndroid(name: string): CapabilityOnAndroid | undefined {
  return Object.hasOwn(ANDROID_CAPABILITIES, name) ? ANDROID_CAPABILITIES[name] : undefined;
}

/** Rows of declared capabilities that the app itself can have: in a browser most are the browser's own. */
export function ownRows(names: readonly string[], engine: Engine): CapabilityOnAndroid[] {
  return names.flatMap((name) => {
    const row = onAndroid(name);
    const isOwn = engine === 'browser' ? row?.browser === 'app' : row?.webview !== 'never';
    return row && isOwn ? [row] : [];
  });
}
