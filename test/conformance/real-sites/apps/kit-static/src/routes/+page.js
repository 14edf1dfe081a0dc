export const prerender = true;
