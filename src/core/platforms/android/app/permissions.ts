/** What a permission means to a user, and whether the system asks. Source: the platform's permission reference. */
export interface PermissionMeaning {
  readonly meaning: string;
  /** `install`: granted at installation; `asked`: the user is asked; `special`: given in the system's settings. */
  readonly granted: 'install' | 'asked' | 'special';
}

const install = (meaning: string): PermissionMeaning => ({ meaning, granted: 'install' });
const asked = (meaning: string): PermissionMeaning => ({ meaning, granted: 'asked' });
const special = (meaning: string): PermissionMeaning => ({ meaning, granted: 'special' });

/** By the name behind `android.permission.`. */
const MEANINGS: Readonly<Record<string, PermissionMeaning>> = {
  INTERNET: install('Reach the internet.'),
  ACCESS_NETWORK_STATE: install('See whether the device is connected.'),
  ACCESS_WIFI_STATE: install('See which Wi-Fi networks the device knows.'),
  CHANGE_WIFI_STATE: install('Turn Wi-Fi on and off and join networks.'),
  CHANGE_NETWORK_STATE: install('Change how the device is connected.'),
  CHANGE_WIFI_MULTICAST_STATE: install('Receive packets meant for all devices of a network.'),
  NEARBY_WIFI_DEVICES: asked('Find Wi-Fi devices nearby.'),
  ACCESS_FINE_LOCATION: asked('Know where the device is, to a few metres.'),
  ACCESS_COARSE_LOCATION: asked('Know roughly where the device is.'),
  ACCESS_BACKGROUND_LOCATION: asked('Know where the device is while the app is not open.'),
  ACCESS_MEDIA_LOCATION: asked('Read where photos were taken.'),
  CAMERA: asked('Take pictures and videos.'),
  RECORD_AUDIO: asked('Record sound with the microphone.'),
  MODIFY_AUDIO_SETTINGS: install('Change volume and speaker settings.'),
  POST_NOTIFICATIONS: asked('Show notifications.'),
  VIBRATE: install('Let the device vibrate.'),
  WAKE_LOCK: install('Keep the device from falling asleep.'),
  RECEIVE_BOOT_COMPLETED: install('Start when the device starts.'),
  FOREGROUND_SERVICE: install('Go on working in plain sight while the app is not open.'),
  FOREGROUND_SERVICE_LOCATION: install('Use the location while the app is not open, in plain sight.'),
  FOREGROUND_SERVICE_MEDIA_PLAYBACK: install('Play media while the app is not open.'),
  FOREGROUND_SERVICE_CAMERA: install('Use the camera while the app is not open, in plain sight.'),
  FOREGROUND_SERVICE_MICROPHONE: install('Use the microphone while the app is not open, in plain sight.'),
  FOREGROUND_SERVICE_DATA_SYNC: install('Exchange data while the app is not open, in plain sight.'),
  READ_CONTACTS: asked('Read the contacts.'),
  WRITE_CONTACTS: asked('Change the contacts.'),
  GET_ACCOUNTS: asked('See which accounts the device has.'),
  READ_CALENDAR: asked('Read the calendar.'),
  WRITE_CALENDAR: asked('Add and change calendar events.'),
  READ_PHONE_STATE: asked('Read the telephone number and call status.'),
  READ_PHONE_NUMBERS: asked('Read the telephone numbers of the device.'),
  CALL_PHONE: asked('Make telephone calls.'),
  READ_CALL_LOG: asked('Read who was called.'),
  SEND_SMS: asked('Send text messages, which may cost money.'),
  RECEIVE_SMS: asked('Receive text messages.'),
  READ_SMS: asked('Read text messages.'),
  BODY_SENSORS: asked('Read body sensors, such as the heart rate.'),
  ACTIVITY_RECOGNITION: asked('Recognise walking, cycling and other activity.'),
  HIGH_SAMPLING_RATE_SENSORS: install('Read motion sensors very often.'),
  BLUETOOTH: install('Use paired Bluetooth devices (up to Android 11).'),
  BLUETOOTH_ADMIN: install('Find and pair Bluetooth devices (up to Android 11).'),
  BLUETOOTH_SCAN: asked('Find Bluetooth devices nearby.'),
  BLUETOOTH_CONNECT: asked('Connect to paired Bluetooth devices.'),
  BLUETOOTH_ADVERTISE: asked('Be found by Bluetooth devices nearby.'),
  UWB_RANGING: asked('Measure the distance to devices nearby.'),
  NFC: install('Use near-field communication.'),
  USE_BIOMETRIC: install('Ask for a fingerprint or face.'),
  USE_FINGERPRINT: install('Ask for a fingerprint.'),
  READ_EXTERNAL_STORAGE: asked('Read shared files (up to Android 12).'),
  WRITE_EXTERNAL_STORAGE: asked('Write shared files (up to Android 9).'),
  MANAGE_EXTERNAL_STORAGE: special('Read and write all shared files.'),
  READ_MEDIA_IMAGES: asked('Read all pictures.'),
  READ_MEDIA_VIDEO: asked('Read all videos.'),
  READ_MEDIA_AUDIO: asked('Read all music and sound files.'),
  READ_MEDIA_VISUAL_USER_SELECTED: asked('Read the pictures and videos that the user chooses.'),
  SCHEDULE_EXACT_ALARM: special('Wake up at an exact time.'),
  USE_EXACT_ALARM: install('Wake up at an exact time, as clocks and calendars do.'),
  SYSTEM_ALERT_WINDOW: special('Draw over other apps.'),
  WRITE_SETTINGS: special('Change system settings.'),
  REQUEST_INSTALL_PACKAGES: special('Ask to install other apps.'),
  REQUEST_IGNORE_BATTERY_OPTIMIZATIONS: install('Ask to be left out of battery saving.'),
  QUERY_ALL_PACKAGES: install('See which apps are installed.'),
  PACKAGE_USAGE_STATS: special('See how other apps are used.'),
  SET_WALLPAPER: install('Change the wallpaper.'),
  EXPAND_STATUS_BAR: install('Open the notification shade.'),
  FLASHLIGHT: install('Use the flashlight.'),
  TRANSMIT_IR: install('Use the infrared transmitter.'),
};

const PREFIX = 'android.permission.';

/** What a permission means; for one that is not in the table, whose it seems to be. */
export function permissionMeaning(name: string): PermissionMeaning | undefined {
  return name.startsWith(PREFIX) ? MEANINGS[name.slice(PREFIX.length)] : undefined;
}
