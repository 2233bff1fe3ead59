// The light on every stage.

import { Color, DirectionalLight, HemisphereLight, type Scene, type Texture } from 'three';

export class Lights {
  private readonly key = new DirectionalLight('#ffe6cc');
  private readonly fill = new DirectionalLight('#bcd3ee');
  private readonly sky = new HemisphereLight('#dfe9f2', '#5a4440');

  constructor(
    private readonly scene: Scene,
    room: Texture,
  ) {
    scene.background = new Color('#241e2b');
    scene.environment = room;
    scene.add(this.key, this.fill, this.sky);
    this.from(false);
  }

  /** Lights the face from the front, warm with a cool fill of more than half of it; or from the side, so that lips throw
   * shadows. No light from behind, which would shine through into the mouth. */
  from(side: boolean) {
    const [key, fill, sky, room] = side ? [3, 0.12, 0.18, 0.12] : [2.1, 1.2, 0.55, 0.32];
    this.key.position.set(...((side ? [-3, 0.9, 0.9] : [-1.5, 1.7, 3]) as [number, number, number]));
    this.fill.position.set(2.4, 0.3, 2);
    this.key.intensity = key;
    this.fill.intensity = fill;
    this.sky.intensity = sky;
    this.scene.environmentIntensity = room;
  }
}
