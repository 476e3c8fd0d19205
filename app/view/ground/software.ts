let software: boolean | undefined;

/** Whether there is no graphics card behind the page: smoothing edges then costs more than it gives. */
export function drawnInSoftware(): boolean {
  if (software === undefined) {
    const probe = document.createElement('canvas').getContext('webgl2');
    const facts = probe?.getExtension('WEBGL_debug_renderer_info');
    software = Boolean(probe && facts && /swiftshader|llvmpipe|software/i.test(String(probe.getParameter(facts.UNMASKED_RENDERER_WEBGL))));
    probe?.getExtension('WEBGL_lose_context')?.loseContext();
  }
  return software;
}
