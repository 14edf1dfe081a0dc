/**
 * Capabilities of the web platform that a script can be seen to use, by the name that `hull.json` declares them under:
 * the W3C permission or policy name where there is one (Permissions registry, Permissions Policy registry), else the
 * name of the interface's own specification.
 */
export interface WebCapability {
  readonly name: string;
  /** What it lets the pages do, in a user's words. */
  readonly does: string;
  /** Whether an app has to declare it: the system or the user is asked. */
  readonly declare: boolean;
  /** A reason to begin with, to be edited; only for what is declared. */
  readonly reason?: string;
  /** Method calls: the name of the object before the dot, and the methods. */
  readonly calls?: readonly { readonly on: string; readonly methods: readonly string[] }[];
  /** Global constructors. */
  readonly constructors?: readonly string[];
  /** Global functions, also as methods of `window`. */
  readonly functions?: readonly string[];
  /** Events listened for on the window. */
  readonly events?: readonly string[];
}

const call = (on: string, ...methods: string[]) => ({ on, methods });

export const CAPABILITIES: readonly WebCapability[] = [
  {
    name: 'geolocation',
    does: 'knows where the device is',
    declare: true,
    reason: 'Shows what is near you, while you use the app.',
    calls: [call('geolocation', 'getCurrentPosition', 'watchPosition')],
  },
  // Camera and microphone share one call; its argument says which (site/script.ts).
  {
    name: 'camera',
    does: 'sees through the camera',
    declare: true,
    reason: 'Takes the pictures you ask for.',
  },
  {
    name: 'microphone',
    does: 'hears through the microphone',
    declare: true,
    reason: 'Records the sound you ask for.',
    constructors: ['SpeechRecognition', 'webkitSpeechRecognition'],
  },
  {
    name: 'display-capture',
    does: 'records the screen',
    declare: true,
    reason: 'Shares the screen that you choose.',
    calls: [call('mediaDevices', 'getDisplayMedia')],
  },
  {
    name: 'notifications',
    does: 'shows notifications',
    declare: true,
    reason: 'Tells you of the changes you asked to hear of.',
    calls: [call('Notification', 'requestPermission'), call('registration', 'showNotification')],
    constructors: ['Notification'],
  },
  {
    name: 'push',
    does: 'receives messages while it is closed',
    declare: true,
    reason: 'Tells you of the changes you asked to hear of, also when the app is closed.',
    calls: [call('pushManager', 'subscribe')],
  },
  {
    name: 'bluetooth',
    does: 'connects to Bluetooth devices',
    declare: true,
    reason: 'Connects to the device that you choose.',
    calls: [call('bluetooth', 'requestDevice', 'requestLEScan')],
  },
  {
    name: 'usb',
    does: 'connects to USB devices',
    declare: true,
    reason: 'Connects to the device that you plug in.',
    calls: [call('usb', 'requestDevice')],
  },
  {
    name: 'serial',
    does: 'connects to serial devices',
    declare: true,
    reason: 'Connects to the device that you plug in.',
    calls: [call('serial', 'requestPort')],
  },
  {
    name: 'hid',
    does: 'connects to input devices',
    declare: true,
    reason: 'Connects to the device that you choose.',
    calls: [call('hid', 'requestDevice')],
  },
  {
    name: 'nfc',
    does: 'reads and writes NFC tags',
    declare: true,
    reason: 'Reads the tag that you hold to the device.',
    constructors: ['NDEFReader'],
  },
  {
    name: 'midi',
    does: 'plays and reads MIDI instruments',
    declare: true,
    reason: 'Connects to the instrument that you plug in.',
    functions: ['requestMIDIAccess'],
    calls: [call('navigator', 'requestMIDIAccess')],
  },
  {
    name: 'accelerometer',
    does: 'reads how the device moves',
    declare: true,
    reason: 'Reacts to how you move the device.',
    constructors: ['Accelerometer', 'LinearAccelerationSensor', 'GravitySensor'],
    events: ['devicemotion'],
    calls: [call('DeviceMotionEvent', 'requestPermission')],
  },
  {
    name: 'gyroscope',
    does: 'reads how the device is turned',
    declare: true,
    reason: 'Reacts to how you turn the device.',
    constructors: ['Gyroscope', 'AbsoluteOrientationSensor', 'RelativeOrientationSensor'],
    events: ['deviceorientation', 'deviceorientationabsolute'],
    calls: [call('DeviceOrientationEvent', 'requestPermission')],
  },
  {
    name: 'magnetometer',
    does: 'reads the compass',
    declare: true,
    reason: 'Shows you the direction.',
    constructors: ['Magnetometer', 'UncalibratedMagnetometer'],
  },
  {
    name: 'ambient-light-sensor',
    does: 'reads how bright it is',
    declare: true,
    reason: 'Suits its colours to the light around you.',
    constructors: ['AmbientLightSensor'],
  },
  {
    name: 'contacts',
    does: 'reads contacts that the user picks',
    declare: true,
    reason: 'Fills in the contact that you pick.',
    calls: [call('contacts', 'select')],
  },
  {
    name: 'clipboard-read',
    does: 'reads the clipboard',
    declare: true,
    reason: 'Pastes what you copied, when you ask for it.',
    calls: [call('clipboard', 'read', 'readText')],
  },
  {
    name: 'encrypted-media',
    does: 'plays protected media',
    declare: true,
    reason: 'Plays the films and music that you have a right to.',
    calls: [call('navigator', 'requestMediaKeySystemAccess')],
  },
  {
    name: 'idle-detection',
    does: 'knows whether the user is away',
    declare: true,
    reason: 'Shows others whether you are here.',
    constructors: ['IdleDetector'],
  },
  {
    name: 'xr-spatial-tracking',
    does: 'shows virtual or augmented reality',
    declare: true,
    reason: 'Shows things in the room around you.',
    calls: [call('xr', 'requestSession')],
  },
  {
    name: 'background-sync',
    does: 'sends what was kept once the network is back',
    declare: false,
    calls: [call('sync', 'register')],
  },
  {
    name: 'periodic-background-sync',
    does: 'refreshes itself now and then while it is closed',
    declare: false,
    calls: [call('periodicSync', 'register')],
  },
  {
    name: 'background-fetch',
    does: 'loads large files while it is closed',
    declare: false,
    calls: [call('backgroundFetch', 'fetch')],
  },
  {
    name: 'clipboard-write',
    does: 'copies to the clipboard',
    declare: false,
    calls: [call('clipboard', 'write', 'writeText')],
  },
  {
    name: 'file-picker',
    does: 'opens files that the user picks',
    declare: false,
    functions: ['showOpenFilePicker', 'showDirectoryPicker'],
  },
  {
    name: 'file-save',
    does: 'saves files where the user says',
    declare: false,
    functions: ['showSaveFilePicker'],
  },
  {
    name: 'web-share',
    does: 'hands things to other apps',
    declare: false,
    calls: [call('navigator', 'share')],
  },
  {
    name: 'screen-wake-lock',
    does: 'keeps the screen on',
    declare: false,
    calls: [call('wakeLock', 'request')],
  },
  {
    name: 'persistent-storage',
    does: 'keeps its data from being cleared',
    declare: false,
    calls: [call('storage', 'persist')],
  },
  {
    name: 'storage-access',
    does: 'uses its storage inside another site',
    declare: false,
    calls: [call('document', 'requestStorageAccess')],
  },
  {
    name: 'publickey-credentials',
    does: 'signs in with passkeys',
    declare: false,
    calls: [call('credentials', 'get', 'create')],
  },
  { name: 'payment', does: 'asks for payment', declare: false, constructors: ['PaymentRequest'] },
  {
    name: 'local-fonts',
    does: 'reads which fonts are installed',
    declare: false,
    functions: ['queryLocalFonts'],
  },
  {
    name: 'window-management',
    does: 'places windows on several screens',
    declare: false,
    functions: ['getScreenDetails'],
  },
  {
    name: 'vibration',
    does: 'lets the device vibrate',
    declare: false,
    calls: [call('navigator', 'vibrate')],
  },
  {
    name: 'print',
    does: 'prints its pages',
    declare: false,
    calls: [call('window', 'print')],
  },
  {
    name: 'speech-synthesis',
    does: 'speaks',
    declare: false,
    calls: [call('speechSynthesis', 'speak')],
  },
  {
    name: 'media-session',
    does: 'has controls on the lock screen',
    declare: false,
    calls: [call('mediaSession', 'setActionHandler')],
  },
  // Found by the parameters of its requests (site/sign-in.ts).
  {
    name: 'sign-in',
    does: 'signs users in at another host',
    declare: false,
  },
  {
    name: 'badging',
    does: 'marks its icon with a number',
    declare: false,
    calls: [call('navigator', 'setAppBadge')],
  },
];

const BY_NAME = new Map(CAPABILITIES.map((item) => [item.name, item]));

export function capability(name: string): WebCapability | undefined {
  return BY_NAME.get(name);
}
