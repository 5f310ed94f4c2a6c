package picture

import (
	"encoding/binary"
	"errors"
	"math/bits"
	"slices"
)

// This file codes the same JPEG coefficients again in fewer bytes: with Huffman
// tables made for the picture, in one scan or in several, and without metadata.
// Source: ITU T.81 (JPEG), annexes B (syntax), F (baseline), G (progressive), K.2 (tables).

// errOtherJPEG is of files that are not read here: progressive ones, 12 bits, arithmetic coding.
var errOtherJPEG = errors.New("not a baseline JPEG")

// zigzag is the order of coefficients in the file; coefficients are kept in it.
type block [64]int16

type jpegComp struct {
	id, h, v, tq   int
	across, down   int // blocks that hold picture
	stride, height int // blocks that are coded in interleaved scans
	blocks         []block
	dc, ac         int // tables of the file that is read
}

type jpegFile struct {
	width, height int
	quant         [][]byte // DQT segments' bodies
	adobe         []byte   // APP14's body, which says how colours are coded
	comps         []jpegComp
	restart       int
}

// Recode returns the JPEG with the same pixels in the fewest bytes that are found,
// without metadata: optimised, and progressive where that is smaller. Files that are not
// baseline give errOtherJPEG or another error, and should be used as they are.
func Recode(data []byte) ([]byte, error) {
	j, err := readJPEG(data)
	if err != nil {
		return nil, err
	}
	a, b := j.write(j.sequential()), j.write(j.progressive())
	if len(b) < len(a) {
		return b, nil
	}
	return a, nil
}

type huffman struct {
	min, max, first [17]int // codes of each length, and the index of its first value
	values          []byte
}

type entropyReader struct {
	data []byte
	at   int
	acc  uint32
	n    int
	err  error
}

func (r *entropyReader) fill() {
	for r.n <= 24 {
		c := uint32(0)
		if r.at < len(r.data) {
			c = uint32(r.data[r.at])
			if c == 0xff {
				if r.at+1 < len(r.data) && r.data[r.at+1] == 0 {
					r.at += 2
				} else {
					c = 0 // a marker: no more bits before it is passed
				}
			} else {
				r.at++
			}
		}
		r.acc |= c << (24 - r.n)
		r.n += 8
	}
}

func (r *entropyReader) bits(n int) int {
	if n == 0 {
		return 0
	}
	r.fill()
	v := r.acc >> (32 - n)
	r.acc <<= n
	r.n -= n
	return int(v)
}

// signed reads the n bits of a value whose size is n.
func (r *entropyReader) signed(n int) int {
	v := r.bits(n)
	if n > 0 && v < 1<<(n-1) {
		v += -1<<n + 1
	}
	return v
}

func (r *entropyReader) symbol(h *huffman) int {
	r.fill()
	for n := 1; n <= 16; n++ {
		code := int(r.acc >> (32 - n))
		if code <= h.max[n] && code >= h.min[n] {
			r.acc <<= n
			r.n -= n
			return int(h.values[h.first[n]+code-h.min[n]])
		}
	}
	r.err = errors.New("a code that no table has")
	return 0
}

func readJPEG(data []byte) (*jpegFile, error) {
	broken := errors.New("the JPEG is broken or cut short")
	if len(data) < 4 || data[0] != 0xff || data[1] != 0xd8 {
		return nil, broken
	}
	j := &jpegFile{}
	var tables [2][4]*huffman
	for i := 2; ; {
		if i+4 > len(data) || data[i] != 0xff {
			return nil, broken
		}
		marker, n := data[i+1], int(binary.BigEndian.Uint16(data[i+2:]))
		if n < 2 || i+2+n > len(data) {
			return nil, broken
		}
		body := data[i+4 : i+2+n]
		i += 2 + n
		switch {
		case marker == 0xdb:
			j.quant = append(j.quant, body)
		case marker == 0xee:
			j.adobe = body
		case marker == 0xdd && len(body) >= 2:
			j.restart = int(binary.BigEndian.Uint16(body))
		case marker == 0xc4:
			for len(body) > 17 {
				kind, slot := body[0]>>4, body[0]&15
				h := &huffman{}
				code, total := 0, 0
				for l := 1; l <= 16; l++ {
					c := int(body[l])
					h.min[l], h.max[l], h.first[l] = code, code+c-1, total
					total += c
					code = (code + c) << 1
				}
				if kind > 1 || slot > 3 || total > len(body)-17 {
					return nil, broken
				}
				h.values = body[17 : 17+total]
				tables[kind][slot] = h
				body = body[17+total:]
			}
		case marker == 0xc0 || marker == 0xc1:
			if len(body) < 6 || body[0] != 8 || len(body) < 6+3*int(body[5]) || body[5] == 0 || body[5] > 4 {
				return nil, errOtherJPEG
			}
			if err := j.frame(body); err != nil {
				return nil, err
			}
		case marker >= 0xc2 && marker <= 0xcf && marker != 0xc8 && marker != 0xcc:
			return nil, errOtherJPEG
		case marker == 0xda:
			if len(j.comps) == 0 || len(body) < 1 || int(body[0]) != len(j.comps) || len(body) < 1+2*len(j.comps) {
				return nil, errOtherJPEG // one scan a component, or none known
			}
			for k := range j.comps {
				t := body[2+2*k]
				j.comps[k].dc, j.comps[k].ac = int(t>>4&3), int(t&3)
			}
			if err := j.scan(data[i:], tables); err != nil {
				return nil, err
			}
			return j, nil
		}
	}
}

func (j *jpegFile) frame(body []byte) error {
	j.height, j.width = int(binary.BigEndian.Uint16(body[1:])), int(binary.BigEndian.Uint16(body[3:]))
	if j.width == 0 || j.height == 0 || j.width*j.height > MaxPixels {
		return errOtherJPEG
	}
	hMax, vMax := 1, 1
	for k := range int(body[5]) {
		c := body[6+3*k:]
		comp := jpegComp{id: int(c[0]), h: int(c[1] >> 4), v: int(c[1] & 15), tq: int(c[2])}
		if comp.h < 1 || comp.h > 4 || comp.v < 1 || comp.v > 4 {
			return errOtherJPEG
		}
		hMax, vMax = max(hMax, comp.h), max(vMax, comp.v)
		j.comps = append(j.comps, comp)
	}
	if len(j.comps) == 1 { // its factors mean nothing
		j.comps[0].h, j.comps[0].v, hMax, vMax = 1, 1, 1, 1
	}
	up := func(a, b int) int { return (a + b - 1) / b }
	mx, my := up(j.width, 8*hMax), up(j.height, 8*vMax)
	for k := range j.comps {
		c := &j.comps[k]
		c.across, c.down = up(up(j.width*c.h, hMax), 8), up(up(j.height*c.v, vMax), 8)
		c.stride, c.height = mx*c.h, my*c.v
		c.blocks = make([]block, c.stride*c.height)
	}
	return nil
}

// eachMCU calls f for every block in the order of interleaved scans.
func (j *jpegFile) eachMCU(f func(mcu, comp int, b *block)) {
	c0 := &j.comps[0]
	mx, my := c0.stride/c0.h, c0.height/c0.v
	for m := range mx * my {
		for k := range j.comps {
			c := &j.comps[k]
			for b := range c.h * c.v {
				x, y := m%mx*c.h+b%c.h, m/mx*c.v+b/c.h
				f(m, k, &c.blocks[y*c.stride+x])
			}
		}
	}
}

func (j *jpegFile) scan(data []byte, tables [2][4]*huffman) error {
	r := &entropyReader{data: data}
	for k := range j.comps {
		if tables[0][j.comps[k].dc] == nil || tables[1][j.comps[k].ac] == nil {
			return errors.New("a scan without tables")
		}
	}
	pred := make([]int, len(j.comps))
	last := -1
	j.eachMCU(func(m, k int, b *block) {
		if r.err != nil {
			return
		}
		if m != last && j.restart > 0 && m > 0 && m%j.restart == 0 {
			r.acc, r.n = 0, 0
			for r.at+1 < len(data) && (data[r.at] != 0xff || data[r.at+1] < 0xd0 || data[r.at+1] > 0xd7) {
				r.at++
			}
			r.at += 2
			clear(pred)
		}
		last = m
		c := &j.comps[k]
		s := r.symbol(tables[0][c.dc])
		if s > 11 {
			r.err = errors.New("a value that is too large")
			return
		}
		pred[k] += r.signed(s)
		b[0] = int16(pred[k])
		ac := tables[1][c.ac]
		for z := 1; z < 64; z++ {
			v := r.symbol(ac)
			run, size := v>>4, v&15
			if size == 0 {
				if run != 15 {
					break
				}
				z += 15
				continue
			}
			if z += run; z > 63 {
				r.err = errors.New("too many coefficients")
				return
			}
			b[z] = int16(r.signed(size))
		}
	})
	if r.err == nil && r.at > len(data)-2 {
		return errors.New("the JPEG is cut short")
	}
	return r.err
}

// token is a Huffman symbol and the bits that follow it.
type token struct {
	sym  uint8
	n    uint8
	slot uint8
	bits uint16
}

// jscan is one scan of the new file. Slots 0 and 1 are DC tables, 2 and 3 AC tables.
type jscan struct {
	comps    []int
	from, to int
	tokens   []token
}

func sizeOf(v int) (n int, low uint16) {
	a := v
	if v < 0 {
		a, v = -v, v-1
	}
	n = bits.Len(uint(a))
	return n, uint16(v & (1<<n - 1))
}

func (t *jscan) dc(b *block, pred *int, slot uint8) {
	n, low := sizeOf(int(b[0]) - *pred)
	*pred = int(b[0])
	t.tokens = append(t.tokens, token{uint8(n), uint8(n), slot, low})
}

func chroma(k int) uint8 { return uint8(min(k, 1)) }

// sequential is everything in one scan.
func (j *jpegFile) sequential() []jscan {
	t := jscan{from: 0, to: 63, tokens: make([]token, 0, 8*len(j.comps[0].blocks))}
	for k := range j.comps {
		t.comps = append(t.comps, k)
	}
	pred := make([]int, len(j.comps))
	j.eachMCU(func(_, k int, b *block) {
		t.dc(b, &pred[k], chroma(k))
		run := 0
		for z := 1; z < 64; z++ {
			if b[z] == 0 {
				run++
				continue
			}
			for ; run > 15; run -= 16 {
				t.tokens = append(t.tokens, token{0xf0, 0, 2 + chroma(k), 0})
			}
			n, low := sizeOf(int(b[z]))
			t.tokens = append(t.tokens, token{uint8(run<<4 | n), uint8(n), 2 + chroma(k), low})
			run = 0
		}
		if run > 0 {
			t.tokens = append(t.tokens, token{0, 0, 2 + chroma(k), 0})
		}
	})
	return []jscan{t}
}

// progressive is the means of the blocks first, then brightness coarse, colour, and
// brightness fine: runs of empty blocks cost next to nothing so.
func (j *jpegFile) progressive() []jscan {
	first := jscan{}
	pred := make([]int, len(j.comps))
	for k := range j.comps {
		first.comps = append(first.comps, k)
	}
	j.eachMCU(func(_, k int, b *block) { first.dc(b, &pred[k], chroma(k)) })
	out := []jscan{first, j.band(0, 1, 8)}
	for k := 1; k < len(j.comps); k++ {
		out = append(out, j.band(k, 1, 63))
	}
	return append(out, j.band(0, 9, 63))
}

// band is a scan of some coefficients of one component.
func (j *jpegFile) band(k, from, to int) jscan {
	c := &j.comps[k]
	t := jscan{comps: []int{k}, from: from, to: to, tokens: make([]token, 0, 4*len(c.blocks))}
	slot := 2 + chroma(k)
	empty := 0 // blocks that end, in a row
	flush := func() {
		if empty > 0 {
			n := bits.Len(uint(empty)) - 1
			t.tokens = append(t.tokens, token{uint8(n << 4), uint8(n), slot, uint16(empty - 1<<n)})
			empty = 0
		}
	}
	for y := range c.down {
		for x := range c.across {
			b := &c.blocks[y*c.stride+x]
			run := 0
			for z := from; z <= to; z++ {
				if b[z] == 0 {
					run++
					continue
				}
				flush()
				for ; run > 15; run -= 16 {
					t.tokens = append(t.tokens, token{0xf0, 0, slot, 0})
				}
				n, low := sizeOf(int(b[z]))
				t.tokens = append(t.tokens, token{uint8(run<<4 | n), uint8(n), slot, low})
				run = 0
			}
			if run > 0 {
				if empty++; empty == 0x7fff {
					flush()
				}
			}
		}
	}
	flush()
	return t
}

// code is a Huffman code.
type code struct {
	bits uint16
	n    uint8
}

// bestTable makes the table with the fewest bits for symbols of these frequencies:
// how many codes each length has, the symbols in their order, and the codes.
func bestTable(freq *[256]int) (counts [17]int, values []byte, codes [256]code) {
	// A symbol more, with the rarest code, since no code may be all ones.
	const all = 257
	var f [all]int
	var size [all]int
	var next [all]int
	copy(f[:], freq[:])
	f[256] = 1
	for i := range next {
		next[i] = -1
	}
	for {
		a, b := -1, -1
		for i, n := range f {
			if n > 0 && (a < 0 || n <= f[a]) {
				a, b = i, a
			} else if n > 0 && (b < 0 || n <= f[b]) {
				b = i
			}
		}
		if b < 0 {
			break
		}
		f[a] += f[b]
		f[b] = 0
		end := a
		for size[a]++; next[end] >= 0; size[end]++ {
			end = next[end]
		}
		next[end] = b
		for end = b; end >= 0; end = next[end] {
			size[end]++
		}
	}
	var lengths [all + 1]int
	for _, n := range size {
		if n > 0 {
			lengths[n]++
		}
	}
	for n := len(lengths) - 1; n > 16; n-- { // K.2, figure K.3: no longer than 16
		for lengths[n] > 0 {
			k := n - 2
			for lengths[k] == 0 {
				k--
			}
			lengths[n] -= 2
			lengths[n-1]++
			lengths[k+1] += 2
			lengths[k]--
		}
	}
	last := 16
	for lengths[last] == 0 {
		last--
	}
	lengths[last]-- // the symbol more
	for s := range 256 {
		if size[s] > 0 {
			values = append(values, byte(s))
		}
	}
	slices.SortStableFunc(values, func(a, b byte) int { return size[a] - size[b] })
	at, c := 0, 0
	for n := 1; n <= 16; n++ {
		counts[n] = lengths[n]
		for range lengths[n] {
			codes[values[at]] = code{uint16(c), uint8(n)}
			c++
			at++
		}
		c <<= 1
	}
	return counts, values, codes
}

func (j *jpegFile) write(scans []jscan) []byte {
	out := []byte{0xff, 0xd8}
	segment := func(marker byte, body ...[]byte) {
		n := 2
		for _, b := range body {
			n += len(b)
		}
		out = append(out, 0xff, marker, byte(n>>8), byte(n))
		for _, b := range body {
			out = append(out, b...)
		}
	}
	if j.adobe != nil {
		segment(0xee, j.adobe)
	}
	for _, q := range j.quant {
		segment(0xdb, q)
	}
	frame := []byte{8, byte(j.height >> 8), byte(j.height), byte(j.width >> 8), byte(j.width), byte(len(j.comps))}
	for _, c := range j.comps {
		frame = append(frame, byte(c.id), byte(c.h<<4|c.v), byte(c.tq))
	}
	marker := byte(0xc0)
	if len(scans) > 1 {
		marker = 0xc2
	}
	segment(marker, frame)
	for _, s := range scans {
		var freq [4][256]int
		for _, t := range s.tokens {
			freq[t.slot][t.sym]++
		}
		var codes [4][256]code
		var dht []byte
		for slot := range freq {
			if freq[slot] == [256]int{} {
				continue
			}
			counts, values, cs := bestTable(&freq[slot])
			codes[slot] = cs
			dht = append(dht, byte(slot>>1<<4|slot&1))
			for _, n := range counts[1:] {
				dht = append(dht, byte(n))
			}
			dht = append(dht, values...)
		}
		segment(0xc4, dht)
		head := []byte{byte(len(s.comps))}
		for _, k := range s.comps {
			head = append(head, byte(j.comps[k].id), chroma(k)<<4|chroma(k))
		}
		segment(0xda, append(head, byte(s.from), byte(s.to), 0))
		out = entropy(out, s.tokens, &codes)
	}
	return append(out, 0xff, 0xd9)
}

// entropy appends the bits of tokens, with a zero after each 0xff.
func entropy(out []byte, tokens []token, codes *[4][256]code) []byte {
	var acc uint64
	n := 0
	put := func(v uint16, k uint8) {
		acc = acc<<k | uint64(v)
		for n += int(k); n >= 8; n -= 8 {
			b := byte(acc >> (n - 8))
			out = append(out, b)
			if b == 0xff {
				out = append(out, 0)
			}
		}
	}
	for _, t := range tokens {
		c := codes[t.slot][t.sym]
		put(c.bits, c.n)
		put(t.bits, t.n)
	}
	if n > 0 {
		put(1<<(8-n)-1, uint8(8-n))
	}
	return out
}
