/** What a capability of the web platform becomes on Apple's systems. */
export interface CapabilityOnApple {
  /** Key of the usage description whose text the system's question shows; none where it shows no reason. */
  readonly usage?: string;
  /** Who asks: the `system`, with the reason in its question; the web `page`'s own engine; or it can `never` be had. */
  readonly asks: 'system' | 'page' | 'nobody' | 'never';
  /** What the user is asked to allow. */
  readonly allow: string;
}

const never = (allow: string): CapabilityOnApple => ({ asks: 'never', allow });

/**
 * Capabilities by their W3C names (site/capabilities.ts). Sources: Information Property List, usage descriptions; what
 * the system's web engine implements.
 */
export const APPLE_CAPABILITIES: Readonly<Record<string, CapabilityOnApple>> = {
  geolocation: { usage: 'NSLocationWhenInUseUsageDescription', asks: 'system', allow: 'use your location' },
  camera: { usage: 'NSCameraUsageDescription', asks: 'system', allow: 'use the camera' },
  microphone: { usage: 'NSMicrophoneUsageDescription', asks: 'system', allow: 'use the microphone' },
  notifications: { asks: 'system', allow: 'send you notifications' },
  push: { asks: 'system', allow: 'send you notifications' },
  accelerometer: { asks: 'page', allow: 'read how the device moves' },
  gyroscope: { asks: 'page', allow: 'read how the device turns' },
  magnetometer: { asks: 'page', allow: 'read the compass' },
  'screen-wake-lock': { asks: 'nobody', allow: 'keep the screen on' },
  'encrypted-media': { asks: 'nobody', allow: 'play protected media' },
  'display-capture': never('record the screen'),
  bluetooth: never('connect to a Bluetooth device'),
  usb: never('connect to a USB device'),
  serial: never('connect to a serial device'),
  hid: never('connect to an input device'),
  nfc: never('read NFC tags'),
  midi: never('use your MIDI instruments'),
  contacts: never('see the contacts that you choose'),
  'clipboard-read': { asks: 'page', allow: 'paste what you copied' },
  'ambient-light-sensor': never('read how bright it is'),
  'idle-detection': never('know when you are away'),
  'xr-spatial-tracking': never('see the room around you'),
  vibration: never('let the device vibrate'),
};

/** What a capability becomes; `undefined` where no question belongs to it. */
export function onApple(name: string): CapabilityOnApple | undefined {
  return Object.hasOwn(APPLE_CAPABILITIES, name) ? APPLE_CAPABILITIES[name] : undefined;
}
