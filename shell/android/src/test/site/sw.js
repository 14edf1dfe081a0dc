self.addEventListener('fetch', () => undefined);
