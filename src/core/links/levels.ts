/** API level of relative filter groups, queries and fragments. */
export const GROUPS_SINCE = 35;
/** API level of suffixes and advanced patterns. */
export const SUFFIX_SINCE = 31;
