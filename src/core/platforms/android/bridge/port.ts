/** Port of the bridge's local server where nothing else is said. */
export const BRIDGE_PORT = 5037;
