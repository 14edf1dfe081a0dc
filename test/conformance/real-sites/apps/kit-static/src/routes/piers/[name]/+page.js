export const ssr = false;
export const prerender = false;
export const load = ({ params }) => ({ name: params.name });
