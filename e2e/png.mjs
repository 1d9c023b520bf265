// Plan images for the tests: grey PNGs written by hand, so that no picture file is kept.
import { crc32, deflateSync } from "node:zlib";

function chunk(kind, data) {
  const body = Buffer.concat([Buffer.from(kind, "latin1"), data]);
  const framed = Buffer.alloc(body.length + 8);
  framed.writeUInt32BE(data.length, 0);
  body.copy(framed, 4);
  framed.writeUInt32BE(crc32(body), body.length + 4);
  return framed;
}

/** A PNG of one bit a pixel; `ink(x, y)` says which pixels are dark. */
export function png(width, height, ink = () => false) {
  const head = Buffer.alloc(13);
  head.writeUInt32BE(width, 0);
  head.writeUInt32BE(height, 4);
  head.set([1, 0, 0, 0, 0], 8);
  const stride = Math.ceil(width / 8) + 1;
  const rows = Buffer.alloc(stride * height, 0);
  for (let y = 0; y < height; y += 1) {
    for (let x = 0; x < width; x += 1) {
      if (!ink(x, y)) rows[y * stride + 1 + (x >> 3)] |= 0x80 >> (x & 7);
    }
  }
  const signature = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]);
  return Buffer.concat([
    signature, chunk("IHDR", head), chunk("IDAT", deflateSync(rows)), chunk("IEND", Buffer.alloc(0)),
  ]);
}

/** A plan of two rooms: 800 by 500 pixels, outer walls 700 by 400 pixels, a wall between. */
export function twoRooms() {
  const line = (v, at) => Math.abs(v - at) < 4;
  return png(800, 500, (x, y) => {
    const within = x > 46 && x < 754 && y > 46 && y < 454;
    return within && (line(x, 50) || line(x, 750) || line(y, 50) || line(y, 450) || line(x, 400));
  });
}
