package codec

import (
	"context"
	"errors"
	"image"

	"tourmaline/core/codec/avifbox"

	"github.com/tetratelabs/wazero/api"
)

// AVIF says how EncodeAVIF encodes.
type AVIF struct {
	CQ        int  // 0 best to 63
	AlphaCQ   int  // the same for alpha
	Speed     int  // 0 to 9
	Tune      int  // 0 PSNR, 1 SSIM
	Chroma444 bool // sharper coloured edges, larger files
	Set       []Setting
}

// takes is about what libaom takes of an instance's memory, bytes.
func (o *AVIF) takes(size image.Point) int {
	const own, ownFull = 7 << 20, 9 << 20
	if o.Chroma444 {
		return ownFull + 38*size.X*size.Y
	}
	return own + 24*size.X*size.Y
}

// EncodeAVIF encodes img, with alpha if any pixel is not opaque.
func (e *Engine) EncodeAVIF(ctx context.Context, img *image.NRGBA, o AVIF) ([]byte, error) {
	file, _, err := e.codeAVIF(ctx, img, o, false)
	return file, err
}

// EncodeAVIFSeen is EncodeAVIF, and the pixels that DecodeAVIF makes of the file: the encoder has them, so that a file
// that is looked at need not be decoded.
func (e *Engine) EncodeAVIFSeen(ctx context.Context, img *image.NRGBA, o AVIF) ([]byte, *image.NRGBA, error) {
	return e.codeAVIF(ctx, img, o, true)
}

// encoding is use of libaom without what still pictures do not call; where one calls it after all, of libaom whole.
func (e *Engine) encoding(ctx context.Context, f func(*instance) error) error {
	if e.still == nil || e.whole.Load() {
		return e.aom.use(ctx, f)
	}
	err := e.still.use(ctx, f)
	var t trap
	if errors.As(err, &t) && t.unreachable() {
		e.whole.Store(true)
		return e.aom.use(ctx, f)
	}
	return err
}

func (e *Engine) codeAVIF(ctx context.Context, img *image.NRGBA, o AVIF, show bool) (file []byte, seen *image.NRGBA,
	err error) {
	var color, alpha []byte
	err = e.encoding(ctx, func(in *instance) error {
		if err := in.room(o.takes(img.Rect.Size())); err != nil {
			return err
		}
		p, err := in.putImage(img)
		if err != nil {
			return err
		}
		defer in.free(p)
		i := func(v int) uint64 { return api.EncodeI32(int32(v)) }
		code := func(name string, args ...uint64) ([]byte, error) {
			if show {
				if _, err := in.call("show"); err != nil {
					return nil, err
				}
			}
			return in.encode(name, p, img, args...)
		}
		if err := in.give(o.Set); err != nil {
			return err
		}
		if color, err = code("encode_color", i(o.CQ), i(o.Speed), i(o.Tune), flag(o.Chroma444), 1); err != nil {
			return err
		}
		if !img.Opaque() {
			if alpha, err = code("encode_alpha", i(o.AlphaCQ), i(o.Speed), 0, 1); err != nil {
				return err
			}
		}
		if show {
			seen, err = in.getImage(p, img)
		}
		return err
	})
	if err != nil {
		return nil, nil, err
	}
	file, err = avifbox.Write(color, alpha)
	return file, seen, err
}

// DecodeAVIF decodes an AVIF file to 8 bits. Rotation, mirroring, cropping and
// ICC profiles are left to the caller, who finds them in the second result.
func (e *Engine) DecodeAVIF(ctx context.Context, file []byte) (*image.NRGBA, *avifbox.Image, error) {
	box, err := avifbox.Read(file, avifbox.Limits{Pixels: e.o.MaxPixels})
	if err != nil {
		return nil, nil, err
	}
	var img *image.NRGBA
	err = e.dav1d.use(ctx, func(in *instance) error {
		if err := in.openOBUs(box.Color, e.o.MaxPixels); err != nil {
			return err
		}
		w, h := in.num("pic_width"), in.num("pic_height")
		r, err := in.call("to_rgba", uint64(box.Nclx.Matrix), flag(box.Nclx.FullRange))
		if err != nil || r == 0 {
			return in.failed("to_rgba", err)
		}
		if img, err = in.takeImage(r, w, h); err != nil || box.Alpha == nil {
			in.call("close")
			return err
		}
		if err := in.openOBUs(box.Alpha, e.o.MaxPixels); err != nil {
			return err
		}
		if in.num("pic_width") != w || in.num("pic_height") != h {
			return errors.New("alpha of another size")
		}
		r, err = in.call("to_gray", api.EncodeI32(-1))
		if err != nil || r == 0 {
			return in.failed("to_gray", err)
		}
		a, err := in.take(r, w*h)
		if err != nil {
			return err
		}
		for i, v := range a {
			img.Pix[4*i+3] = v
		}
		in.call("close")
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	if box.Premultiplied {
		for p := img.Pix; len(p) > 0; p = p[4:] {
			if a := int(p[3]); a > 0 && a < 255 {
				for i := range 3 {
					p[i] = byte(min((int(p[i])*255+a/2)/a, 255))
				}
			}
		}
	}
	return img, box, nil
}

func (in *instance) openOBUs(obus []byte, maxPixels int) error {
	p, err := in.put(obus)
	if err != nil {
		return err
	}
	defer in.free(p)
	r, err := in.call("open", p, uint64(len(obus)), uint64(maxPixels))
	if err != nil || r == 0 {
		return in.failed("open", err)
	}
	return nil
}
