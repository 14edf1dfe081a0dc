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
  const MOST_FILE = 16_000_000;
  let plan;
  let state;
  let app;
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
    const { status, bar, around } = plan;
    const strip = find('.strip');
    const pageBar = find('.page-bar');
    device.classList.toggle('dark-symbols', isOpen && status.symbols === 'dark');
    find('.status').hidden = isOpen && (status.symbols === 'none' || status.height === 0);
    device.style.background = isOpen ? around : '';
    strip.hidden = !isOpen || !status.color;
    Object.assign(strip.style, { height: px(status.height), background: status.color ?? '' });
    pageBar.hidden = !isOpen || !bar;
    if (bar) Object.assign(pageBar.style, { top: px(bar.y), height: px(bar.height), background: bar.color });
    splash.style.background = app?.background[state.scheme] ?? '';
    find('.cutout').hidden = state.device === 'tablet' || state.turn === 'landscape';
    home.hidden = isOpen;
    splash.hidden = !isOpen || isDrawn;
    view.hidden = !isOpen || !isDrawn;
    const over = find('.window-bar');
    over.hidden = !isOpen || !state.window;
    over.style.top = px(plan.page.y);
    if (state.window) find('#window-at').textContent = state.window;
  };

  const show = (next) => {
    const before = state;
    state = next.state;
    plan = next.plan;
    if (state.shows === 'home' && before?.shows === 'app') {
      said.textContent = 'Home screen';
      home.querySelector('button')?.focus();
    }
    if (state.shows === 'app' && before?.shows !== 'app') said.textContent = 'The app opens';
    if (!state.runs) isDrawn = false;
    for (const name of ['device', 'scheme', 'network', 'textSize'])
      for (const input of document.getElementsByName(name))
        input.checked = input.value === String(state[name]);
    if (document.activeElement?.id !== 'language') find('#language').value = state.language;
    find('#end').disabled = !state.runs;
    find('#look').disabled = !state.runs;
    find('#where').textContent = state.url && state.url !== 'about:blank' ? `The page: ${state.url}` : '';
    layOut();
  };

  /** An element with text, and with what else it is. */
  const make = (name, text, more = {}) =>
    Object.assign(document.createElement(name), { textContent: text }, more);

  const face = (icon) =>
    icon
      ? make('img', '', { className: 'face', src: icon, alt: '' })
      : make('span', '', { className: 'face' });

  /** The home screen, and what belongs to the app in front. */
  const showApps = (next) => {
    const other = app?.id !== next.app?.id || app?.version !== next.app?.version;
    app = next.app;
    if (other) isDrawn = false;
    device.classList.remove('android', 'apple');
    device.classList.add(next.platform);
    home.replaceChildren(
      ...next.home.map(({ id, label, icon }) => {
        const button = make('button', '', { className: 'app' });
        button.append(face(icon), make('span', label));
        button.addEventListener('click', () => send({ do: 'open', id }));
        return button;
      }),
    );
    if (next.home.length === 0)
      home.append(make('p', 'No app is installed yet: hull install puts one here.'));
    find('#more').hidden = !app;
    const cannot = new Set(next.cannot);
    for (const name of ['scheme', 'network', 'textSize'])
      for (const input of document.getElementsByName(name)) input.disabled = cannot.has(name);
    find('#language-form').hidden = cannot.has('language');
    find('#doings').hidden = cannot.has('end');
    find('#storage').hidden = cannot.has('stored');
    find('#sharing').hidden = cannot.has('share');
    find('#link').hidden = !app;
    splash.replaceChildren(...(app?.icon ? [make('img', '', { src: app.icon, alt: '' })] : []));
    find('#facts').textContent = app
      ? `${app.version}, ${app.kind}, ${app.id}. It runs in ${next.engine === 'webkit' ? 'WebKit' : 'a browser'} on this computer: what only a device has is not here.`
      : 'What is installed runs in a browser on this computer: what only a device has is not here.';
    find('#notes').replaceChildren(
      ...(app?.notes ?? []).map((text) => make('p', text, { className: 'note' })),
    );
    if (!app) return layOut();
    if (other) find('#address').value = app.start;
    const shortcuts = app.shortcuts.map((name) => {
      const button = make('button', name);
      button.addEventListener('click', () => send({ do: 'shortcut', name }));
      return button;
    });
    find('#shortcuts').replaceChildren(
      ...(shortcuts.length > 0 ? shortcuts : [make('p', 'It has no entries.')]),
    );
    const share = find('#share');
    share.hidden = !app.share;
    find('#share-file').hidden = !app.share?.files.length;
    find('#shared').textContent = app.share ? '' : 'Nothing can be shared with this app.';
    find('#permissions').replaceChildren(
      ...(app.permissions.length > 0
        ? app.permissions.flatMap(([name, reason]) => [make('dt', name), make('dd', reason)])
        : [make('dd', 'The app asks for nothing.')]),
    );
    const update = find('#update');
    update.hidden = !app.update;
    update.textContent = `Update to ${app.update}`;
    layOut();
  };

  const showStored = ({ items }) => {
    const table = find('#stored');
    table.hidden = false;
    const rows = items.length > 0 ? items : [{ kind: 'nothing', name: '', value: '' }];
    table.tBodies[0].replaceChildren(
      ...rows.map(({ kind, name, value }) => {
        const row = document.createElement('tr');
        row.append(make('td', kind), make('td', name), make('td', value));
        return row;
      }),
    );
    said.textContent = `${items.length} stored`;
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
      `Allow ${app?.name ?? 'the app'} to ${NEEDS[next.capability] ?? `use ${next.capability}`}?`;
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
    apps: showApps,
    state: show,
    stored: showStored,
    shared: ({ problem }) => {
      find('#shared').textContent = problem ?? 'It has arrived in the app.';
    },
    trouble: ({ why, url }) => log('#console', `shell: its own page (${why}) in place of ${url}`, 'warning'),
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
      log('#console', 'error: The browser has ended. Start the command again.', 'error');
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
      said.textContent = 'The command has ended.';
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

  find('#back').addEventListener('click', () => send({ do: 'back' }));
  find('#home').addEventListener('click', () => send({ do: 'home' }));
  find('#turn').addEventListener('click', () =>
    send({ do: 'set', turn: state.turn === 'portrait' ? 'landscape' : 'portrait' }),
  );
  find('#allow').addEventListener('click', () => answer(true));
  find('#refuse').addEventListener('click', () => answer(false));
  for (const name of ['device', 'scheme', 'network', 'textSize'])
    for (const input of document.getElementsByName(name))
      input.addEventListener('change', () =>
        send({ do: 'set', [name]: name === 'textSize' ? Number(input.value) : input.value }),
      );
  find('#window-close').addEventListener('click', () => send({ do: 'back' }));
  find('#end').addEventListener('click', () => send({ do: 'end' }));
  find('#update').addEventListener('click', () => send({ do: 'update' }));
  find('#look').addEventListener('click', () => send({ do: 'stored' }));
  find('#language-form').addEventListener('submit', (event) => {
    event.preventDefault();
    send({ do: 'set', language: find('#language').value });
  });
  /** The file of a form as text that goes into a message. */
  const fileOf = async (input) => {
    const file = input.files[0];
    if (!file) return undefined;
    if (file.size > MOST_FILE) throw new Error('Choose a file of at most 16 MB.');
    const bytes = new Uint8Array(await file.arrayBuffer());
    let binary = '';
    for (const one of bytes) binary += String.fromCharCode(one);
    return { name: file.name, type: file.type || 'application/octet-stream', bytes: btoa(binary) };
  };
  find('#share').addEventListener('submit', async (event) => {
    event.preventDefault();
    const { title, text, file } = event.target.elements;
    find('#shared').textContent = 'Sharing…';
    try {
      send({ do: 'share', title: title.value, text: text.value, file: await fileOf(file) });
    } catch (error) {
      find('#shared').textContent = error.message;
    }
  });
  find('#link').addEventListener('submit', (event) => {
    event.preventDefault();
    send({ do: 'link', url: find('#address').value });
  });
  addEventListener('resize', layOut);
})();
