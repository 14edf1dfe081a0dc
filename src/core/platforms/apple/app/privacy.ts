import type { PlistDict } from '../../../formats/plist/types.js';

/**
 * The privacy manifest (Apple, "Privacy manifest files"): what the shell itself does. It tracks nobody, collects nothing and
 * calls none of the functions for which a reason is asked ("Describing use of required reason API"). What the app's pages
 * collect is for their makers to declare.
 */
export const PRIVACY_MANIFEST: PlistDict = {
  NSPrivacyAccessedAPITypes: [],
  NSPrivacyCollectedDataTypes: [],
  NSPrivacyTracking: false,
  NSPrivacyTrackingDomains: [],
};

/**
 * Functions for which a store asks a reason, by category, as they appear among a program's imports. Source: Apple,
 * "Describing use of required reason API".
 */
export const REASON_CATEGORIES: Readonly<Record<string, readonly string[]>> = {
  NSPrivacyAccessedAPICategoryFileTimestamp: [
    '_stat',
    '_fstat',
    '_fstatat',
    '_lstat',
    '_getattrlist',
    '_getattrlistbulk',
    '_fgetattrlist',
    '_getattrlistat',
    '_NSFileCreationDate',
    '_NSFileModificationDate',
    '_NSURLContentModificationDateKey',
    '_NSURLCreationDateKey',
  ],
  NSPrivacyAccessedAPICategorySystemBootTime: ['_mach_absolute_time'],
  NSPrivacyAccessedAPICategoryDiskSpace: [
    '_statfs',
    '_statvfs',
    '_fstatfs',
    '_fstatvfs',
    '_NSFileSystemFreeSize',
    '_NSFileSystemSize',
    '_NSURLVolumeAvailableCapacityKey',
    '_NSURLVolumeAvailableCapacityForImportantUsageKey',
    '_NSURLVolumeAvailableCapacityForOpportunisticUsageKey',
    '_NSURLVolumeTotalCapacityKey',
  ],
  NSPrivacyAccessedAPICategoryActiveKeyboards: [],
  NSPrivacyAccessedAPICategoryUserDefaults: ['_OBJC_CLASS_$_NSUserDefaults'],
};
