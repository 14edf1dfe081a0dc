/**
 * Names of apps and of their classes, as a device takes them (the platform's own check, "validateName"): what is not one
 * never reaches a device's shell or a file's name.
 */

const APP_ID = /^[A-Za-z]\w*(?:\.[A-Za-z]\w*)+$/;
const CLASS_NAME = /^[\w.$]+$/;
/** The longest name; devices have files and folders named after it. */
const LONGEST = 223;

export function isAppId(text: string): boolean {
  return text.length <= LONGEST && APP_ID.test(text);
}

export function isClassName(text: string): boolean {
  return text.length <= 1024 && CLASS_NAME.test(text);
}
