import * as THREE from "three";

/** A renderer on a canvas that draws only when something has changed. */
export class Stagehand {
  readonly renderer: THREE.WebGLRenderer;
  private readonly observer: ResizeObserver;
  private asked = false;
  private gone = false;

  constructor(
    canvas: HTMLCanvasElement,
    private readonly draw: (renderer: THREE.WebGLRenderer, width: number, height: number) => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: false });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace; // Shaders encode for themselves.
    this.renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
    this.observer = new ResizeObserver(() => {
      this.ask();
    });
    this.observer.observe(canvas);
  }

  /** Draw once, soon. */
  ask = () => {
    if (this.asked || this.gone) return;
    this.asked = true;
    requestAnimationFrame(() => {
      this.asked = false;
      if (this.gone) return;
      const { clientWidth, clientHeight } = this.renderer.domElement;
      if (clientWidth === 0 || clientHeight === 0) return;
      this.renderer.setSize(clientWidth, clientHeight, false);
      this.draw(this.renderer, clientWidth, clientHeight);
    });
  };

  dispose() {
    this.gone = true;
    this.observer.disconnect();
    this.renderer.dispose();
  }
}
