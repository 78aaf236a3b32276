/** Bundles the probe with the packages of the front end, in whose folder the bundler runs. */
export default {
  input: new URL("./probe.ts", import.meta.url).pathname,
  resolve: { modules: [`${process.cwd()}/node_modules`] },
};
