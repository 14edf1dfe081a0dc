// What every page shares: kept settings, the offline worker, the tide line.
export function keep(key, value) {
  try {
    localStorage.setItem(`ferry.${key}`, JSON.stringify(value));
  } catch {
    // Storage is full or off: the page works without memory.
  }
}

export function kept(key, fallback) {
  try {
    const text = localStorage.getItem(`ferry.${key}`);
    return text === null ? fallback : JSON.parse(text);
  } catch {
    return fallback;
  }
}

export function element(name, attributes = {}, ...children) {
  const node = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  node.append(...children);
  return node;
}

const tide = document.querySelector('.tide');
if (tide) {
  const hours = (Date.now() / 3_600_000) % 12.42;
  tide.textContent = hours < 6.21 ? `High tide in ${Math.ceil(6.21 - hours)} h` : `Low tide in ${Math.ceil(12.42 - hours)} h`;
}

if ('serviceWorker' in navigator) {
  navigator.serviceWorker.register('/sw.js').catch((error) => console.warn('No offline pages:', error.message));
}
