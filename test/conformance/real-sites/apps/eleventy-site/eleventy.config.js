module.exports = (config) => config.addPassthroughCopy('site.css');
