/** The renderer's build for bundlers, of which its types say nothing. */
declare module 'swagger-ui-dist/swagger-ui-es-bundle.js' {
  const bundle: (options: Record<string, unknown>) => unknown;
  export default bundle;
}
