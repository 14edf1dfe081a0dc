// The page of hull try: shows the frames of the app's page, and passes on what is done with it.
(() => {
  const find = (name) => document.querySelector(name);
  const token = find('meta[name=token]').content;
  const device = find('#device');
  const view = find('#view');
  const splash = find('.splash');
  const home = find('.home');
  const said = find('#said');
  const ask = find('.ask');
  const KEPT = 200;
  let plan;
  let state;
  let scale = 1;
  let question;
  let isDrawn = false;
  let socket;

  const send = (message) => socket?.readyState === 1 && socket.send(JSON.stringify(message));

  /** The device as large as the window lets it be. */
  const layOut = () => {
    if (!plan || !state) return;
    scale = Math.min(
      1,
      Math.max(360, innerHeight - 250) / plan.height,
      Math.max(260, innerWidth - 60) / plan.width,
    );
    const px = (value) => `${value * scale}px`;
    Object.assign(device.style, {
      width: px(plan.width),
      height: px(plan.height),
      borderRadius: px(plan.device.corner + 10),
    });
    Object.assign(view.style, {
      left: px(plan.page.x),
      top: px(plan.page.y),
      width: px(plan.page.width),
      height: px(plan.page.height),
    });
    const isOpen = state.shows === 'app';
    const dark = state.scheme === 'dark';
    const ground = dark ? device.dataset.dark : device.dataset.light;
    const [red, green, blue] = [1, 3, 5].map((at) => Number.parseInt(ground.slice(at, at + 2), 16));
    device.classList.toggle('dark-symbols', isOpen && red * 0.3 + green * 0.59 + blue * 0.11 > 150);
    device.style.background = isOpen ? ground : '';
    splash.style.background = dark ? device.dataset.darkGround : device.dataset.lightGround;
    find('.cutout').hidden = state.device === 'tablet' || state.turn === 'landscape';
    home.hidden = isOpen;
    splash.hidden = !isOpen || isDrawn;
    view.hidden = !isOpen || !isDrawn;
  };

  const show = (next) => {
    const before = state;
    state = next.state;
    plan = next.plan;
    if (state.shows === 'home' && before?.shows === 'app') {
      said.textContent = 'Home screen';
      find('#launch').focus();
    }
    if (state.shows === 'app' && before?.shows !== 'app') said.textContent = 'The app opens';
    for (const name of ['device', 'scheme', 'network'])
      for (const input of document.getElementsByName(name)) input.checked = input.value === state[name];
    find('#where').textContent = state.url && state.url !== 'about:blank' ? `The page: ${state.url}` : '';
    layOut();
  };

  const draw = async (blob) => {
    const picture = await createImageBitmap(blob);
    if (view.width !== picture.width || view.height !== picture.height) {
      view.width = picture.width;
      view.height = picture.height;
    }
    view.getContext('2d').drawImage(picture, 0, 0);
    picture.close();
    if (isDrawn) return;
    isDrawn = true;
    layOut();
    if (state?.shows === 'app') view.focus({ preventScroll: true });
  };

  const log = (name, text, kind = '') => {
    const item = document.createElement('li');
    item.textContent = text;
    item.className = kind;
    const list = find(name);
    list.prepend(item);
    while (list.children.length > KEPT) list.lastChild.remove();
  };

  const NEEDS = {
    geolocation: 'use this device’s location',
    camera: 'take pictures and record video',
    microphone: 'record audio',
    notifications: 'send you notifications',
  };
  const put = (next) => {
    question = next;
    ask.hidden = false;
    find('#ask-why').textContent = next.reason;
    find('#ask-what').textContent =
      `Allow ${document.querySelector('h1').textContent} to ${NEEDS[next.capability] ?? `use ${next.capability}`}?`;
    find('#allow').focus();
  };
  const answer = (yes) => {
    if (!question) return;
    send({ do: 'answer', id: question.id, yes });
    question = undefined;
    ask.hidden = true;
    view.focus({ preventScroll: true });
  };

  const HEARD = {
    state: show,
    question: ({ question: next }) => put(next),
    request: ({ request: { method, url, from, status } }) =>
      log('#requests', `${from}${status ? ` ${status}` : ''}  ${method} ${url}`, from),
    console: ({ level, text }) => log('#console', `${level}: ${text}`, level),
    outside: ({ what, url }) => {
      log('#outside', `${what}: ${url}`);
      said.textContent = `${what}: ${url}`;
    },
    link: ({ opens, why }) => {
      find('#verdict').textContent = `Opens in the ${opens}: ${why}.`;
    },
    ended: () => {
      said.textContent = 'The browser has ended.';
      log('#console', 'error: The browser has ended. Start hull try again.', 'error');
    },
  };

  const connect = () => {
    socket = new WebSocket(`ws://${location.host}/live?token=${encodeURIComponent(token)}`);
    socket.binaryType = 'blob';
    socket.onmessage = ({ data }) => {
      if (typeof data !== 'string') return void draw(data).catch(() => {});
      const message = JSON.parse(data);
      HEARD[message.is]?.(message);
    };
    socket.onclose = () => {
      said.textContent = 'hull try has ended.';
      document.body.dataset.ended = 'true';
    };
  };
  connect();

  const place = (event) => {
    const box = view.getBoundingClientRect();
    return {
      x: ((event.clientX - box.left) / box.width) * plan.page.width,
      y: ((event.clientY - box.top) / box.height) * plan.page.height,
    };
  };
  let isDown = false;
  const touch = (kind) => (event) => {
    if (kind === 'move' && !isDown) return;
    isDown = kind === 'start' || kind === 'move';
    if (kind === 'start') {
      view.setPointerCapture(event.pointerId);
      view.focus({ preventScroll: true });
    }
    send({ do: 'touch', kind, ...place(event) });
    event.preventDefault();
  };
  view.addEventListener('pointerdown', touch('start'));
  view.addEventListener('pointermove', touch('move'));
  view.addEventListener('pointerup', touch('end'));
  view.addEventListener('pointercancel', touch('cancel'));
  view.addEventListener(
    'wheel',
    (event) => {
      send({ do: 'wheel', ...place(event), dx: event.deltaX, dy: event.deltaY });
      event.preventDefault();
    },
    { passive: false },
  );
  view.addEventListener('keydown', (event) => {
    // F6 leaves the app's page for the controls: Tab goes through the page's own.
    if (event.key === 'F6') find('#back').focus();
    else if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey)
      send({ do: 'text', text: event.key });
    else if (!['Shift', 'Control', 'Alt', 'Meta'].includes(event.key))
      send({ do: 'key', key: `${event.shiftKey ? 'Shift+' : ''}${event.key}` });
    event.preventDefault();
  });

  find('#launch').addEventListener('click', () => send({ do: state?.url ? 'resume' : 'start' }));
  find('#back').addEventListener('click', () => send({ do: 'back' }));
  find('#home').addEventListener('click', () => send({ do: 'home' }));
  find('#turn').addEventListener('click', () =>
    send({ do: 'screen', turn: state.turn === 'portrait' ? 'landscape' : 'portrait' }),
  );
  find('#allow').addEventListener('click', () => answer(true));
  find('#refuse').addEventListener('click', () => answer(false));
  for (const name of ['device', 'scheme', 'network'])
    for (const input of document.getElementsByName(name))
      input.addEventListener('change', () =>
        send(name === 'device' ? { do: 'screen', device: input.value } : { do: name, [name]: input.value }),
      );
  find('#link').addEventListener('submit', (event) => {
    event.preventDefault();
    send({ do: 'link', url: find('#address').value });
  });
  addEventListener('resize', layOut);
})();
