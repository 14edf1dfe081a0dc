/** The name under which pages reach the question; they see nothing else of it. */
export const ASK_BINDING = '__hullAsk';

/**
 * Makes pages ask as they do in the app: first the app's own reason, then the engine. A browser that is driven asks nobody, and refuses.
 */
export const ASKING_SCRIPT = `(() => {
  const ask = window.${ASK_BINDING};
  if (!ask) return;
  const denied = (name) => new DOMException('Permission denied', name);
  const { geolocation, mediaDevices } = navigator;
  if (geolocation) {
    const refused = { code: 1, message: 'User denied Geolocation', PERMISSION_DENIED: 1, POSITION_UNAVAILABLE: 2, TIMEOUT: 3 };
    const once = geolocation.getCurrentPosition.bind(geolocation);
    geolocation.getCurrentPosition = (done, fail, options) =>
      void ask('geolocation').then((yes) => (yes ? once(done, fail, options) : fail?.(refused)));
    const watch = geolocation.watchPosition.bind(geolocation);
    const clear = geolocation.clearWatch.bind(geolocation);
    const watches = new Map();
    let count = 0;
    geolocation.watchPosition = (done, fail, options) => {
      count += 1;
      const own = count;
      watches.set(own, undefined);
      ask('geolocation').then((yes) => {
        if (!watches.has(own)) return;
        if (yes) watches.set(own, watch(done, fail, options));
        else fail?.(refused);
      });
      return own;
    };
    geolocation.clearWatch = (id) => {
      if (watches.get(id) !== undefined) clear(watches.get(id));
      watches.delete(id);
    };
  }
  if (mediaDevices) {
    const media = mediaDevices.getUserMedia.bind(mediaDevices);
    mediaDevices.getUserMedia = async (wanted = {}) => {
      if (wanted.video && !(await ask('camera'))) throw denied('NotAllowedError');
      if (wanted.audio && !(await ask('microphone'))) throw denied('NotAllowedError');
      return media(wanted);
    };
  }
  if (window.Notification) {
    const request = Notification.requestPermission.bind(Notification);
    Notification.requestPermission = async (told) => {
      const answer = (await ask('notifications')) ? await request() : 'denied';
      told?.(answer);
      return answer;
    };
  }
})();`;
