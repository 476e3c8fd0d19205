declare module '*.module.css' {
  const names: Record<string, string>;
  export default names;
}
