type Point = [x: number, y: number];

/** A canvas context that notes what is drawn on it, in place of pixels. */
export class Paper {
  lines: { points: Point[]; style: string; width: number }[] = [];
  boxes: { x: number; y: number; width: number; height: number; style: string }[] = [];
  texts: { text: string; x: number; y: number; style: string }[] = [];
  fillStyle = '';
  strokeStyle = '';
  lineWidth = 1;
  globalAlpha = 1;
  font = '';
  textAlign = 'left';
  textBaseline = 'alphabetic';
  private path: Point[] = [];

  beginPath = () => void (this.path = []);
  moveTo = (x: number, y: number) => void this.path.push([x, y]);
  lineTo = (x: number, y: number) => void this.path.push([x, y]);
  arc = (x: number, y: number) => void this.path.push([x, y]);
  ellipse = (x: number, y: number) => void this.path.push([x, y]);
  roundRect = (x: number, y: number) => void this.path.push([x, y]);
  stroke = () => void this.lines.push({ points: this.path, style: this.strokeStyle, width: this.lineWidth });
  fill = () => void this.lines.push({ points: this.path, style: this.fillStyle, width: 0 });
  fillRect = (x: number, y: number, width: number, height: number) =>
    void this.boxes.push({ x, y, width, height, style: this.fillStyle });
  strokeRect = (x: number, y: number, width: number, height: number) =>
    void this.boxes.push({ x, y, width, height, style: this.strokeStyle });
  fillText = (text: string, x: number, y: number) =>
    void this.texts.push({ text, x, y, style: this.fillStyle });
  measureText = (text: string) => ({ width: 7 * text.length });
  closePath = () => undefined;
  save = () => undefined;
  restore = () => undefined;
  clip = () => undefined;
  rect = () => undefined;
  setLineDash = () => undefined;
  translate = () => undefined;
  rotate = () => undefined;

  get context(): CanvasRenderingContext2D {
    return this as unknown as CanvasRenderingContext2D;
  }
}
