package picture

import (
	"bytes"
	"context"
	"errors"
	"image"

	"tourmaline/core/codec"
	"tourmaline/core/codec/avifbox"
	"tourmaline/core/source"
)

// isAVIF reports whether the data begins as an AVIF file.
// Source: AVIF 1.1, brands (https://aomediacodec.github.io/av1-avif/#brands).
func isAVIF(data []byte) bool {
	if len(data) < 16 || string(data[4:8]) != "ftyp" {
		return false
	}
	return bytes.Contains(data[8:min(len(data), 64)], []byte("avif"))
}

// readAVIF fills in what the container says.
func (f *File) readAVIF() error {
	box, err := avifbox.Read(f.data, avifbox.Limits{File: MaxBytes, Pixels: MaxPixels})
	if err != nil {
		switch {
		case errors.Is(err, avifbox.ErrLimit):
			return &source.LimitError{In: f.Name, Msg: err.Error(), Hint: "save a smaller copy"}
		case errors.Is(err, avifbox.ErrUnsupported):
			return &source.UnsupportedError{In: f.Name, Msg: err.Error(),
				Hint: "save it as one plain AVIF picture, or as PNG"}
		}
		return &source.SyntaxError{In: f.Name, Msg: "the picture's header is broken or cut short: " + err.Error(),
			Hint: "save the picture again"}
	}
	if box.Crop {
		return &source.UnsupportedError{In: f.Name, Msg: "an AVIF file with a crop inside", Hint: "save it cropped"}
	}
	f.Format, f.Width, f.Height = AVIF, box.Width, box.Height
	f.Orientation = avifOrientation(box.Rotate, box.Mirror)
	f.icc = box.ICC
	return nil
}

// avifOrientation is the EXIF orientation of a rotation (quarter turns against the
// clock) and then a mirror (0 none, 1 top to bottom, 2 left to right).
// Source: HEIF (ISO/IEC 23008-12), 6.5.10 and 6.5.12.
func avifOrientation(rotate, mirror int) int {
	return [4][3]int{{1, 4, 2}, {8, 5, 7}, {3, 2, 4}, {6, 7, 5}}[rotate&3][mirror%3]
}

// Decode decodes the picture, upright, as premultiplied sRGB, and keeps nothing:
// see Pixels.
func (f *File) Decode() (*image.RGBA, error) {
	if f.Vector != nil {
		return nil, &source.UnsupportedError{In: f.Name, Msg: "an SVG has no pixels of its own"}
	}
	if f.whole != nil {
		img, err := f.whole.Pixels()
		if err != nil {
			return nil, err
		}
		return cutOut(img, f.part), nil
	}
	img, err := f.decode()
	if err != nil {
		return nil, &source.SyntaxError{In: f.Name, Msg: "the picture is broken or cut short: " + err.Error(),
			Hint: "save or copy it again"}
	}
	if b := img.Bounds(); b.Dx()*b.Dy() > MaxPixels {
		return nil, &source.LimitError{In: f.Name, Msg: "the picture is larger than its header says"}
	}
	return orient(f.toSRGB(toRGBA(img)), f.Orientation), nil
}

func (f *File) decode() (image.Image, error) {
	ctx := context.Background()
	switch f.Format {
	case "avif":
		img, _, err := codec.Shared().DecodeAVIF(ctx, f.data)
		if err != nil {
			return nil, err
		}
		return img, nil
	case "webp":
		img, err := codec.Shared().DecodeWebP(ctx, f.data)
		if err != nil {
			return nil, err
		}
		return img, nil
	}
	img, _, err := image.Decode(bytes.NewReader(f.data))
	return img, err
}
