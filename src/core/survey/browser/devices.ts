import type { Device } from '../browser-facts.js';

const NONE = { top: 0, right: 0, bottom: 0, left: 0 };

/**
 * Screens that stand for the usual classes, in CSS px: a phone with cutout and gesture bar, and a tablet. Insets as
 * such devices report them (CSS Environment Variables, "safe area insets").
 */
export const DEVICES: readonly Device[] = [
  { name: 'phone, portrait', width: 390, height: 844, scale: 2, insets: { ...NONE, top: 47, bottom: 34 } },
  {
    name: 'phone, landscape',
    width: 844,
    height: 390,
    scale: 2,
    insets: { top: 0, right: 47, bottom: 21, left: 47 },
  },
  { name: 'tablet, portrait', width: 820, height: 1180, scale: 1, insets: { ...NONE, top: 24, bottom: 20 } },
  { name: 'tablet, landscape', width: 1180, height: 820, scale: 1, insets: { ...NONE, top: 24, bottom: 20 } },
];

/** A screen as pages see it whose window ends at bars and cutout. */
export function clearOfEdges({ insets, ...device }: Device): Device {
  return {
    ...device,
    width: device.width - insets.left - insets.right,
    height: device.height - insets.top - insets.bottom,
    insets: NONE,
  };
}
