package figure

import (
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"io"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// scale is how many pixels of a PNG stand for one of the figure, so that it is sharp in print.
const scale = 2

// ink returns the colour of an ink on white.
func (i Ink) color() color.RGBA {
	return map[Ink]color.RGBA{Text: {0x1b, 0x27, 0x33, 255}, Quiet: {0x52, 0x61, 0x6f, 255},
		Empty: {0xdd, 0xe3, 0xe9, 255},
		Good:  {0x1f, 0x7a, 0x4d, 255}, Bad: {0xb3, 0x26, 0x1e, 255}, First: {0x25, 0x63, 0xa8, 255},
		Other: {0x8a, 0x5a, 0x00, 255}}[i]
}

// faint returns a colour as a band has it, through which others are seen.
func faint(c color.RGBA) color.RGBA {
	const part, whole = 38, 100
	share := func(v uint8) uint8 { return uint8(int(v) * part / whole) }
	return color.RGBA{share(c.R), share(c.G), share(c.B), share(c.A)}
}

// PNG writes the figure as a picture on white. Letters that the font lacks, such as those of Chinese, are boxes there.
func (f Figure) PNG(w io.Writer) error {
	p := picture{RGBA: image.NewRGBA(image.Rect(0, 0, int(f.Width*scale), int(f.Height*scale)))}
	draw.Draw(p, p.Bounds(), image.White, image.Point{}, draw.Src)
	var err error
	if p.regular, err = face(goregular.TTF); err != nil {
		return err
	}
	if p.bold, err = face(gobold.TTF); err != nil {
		return err
	}
	for _, s := range f.Shapes {
		p.draw(s)
	}
	return png.Encode(w, p.RGBA)
}

func face(data []byte) (font.Face, error) {
	f, err := opentype.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("reading the font: %w", err)
	}
	const pointsPerInch = 72 // so that a size in points is one in pixels
	return opentype.NewFace(f, &opentype.FaceOptions{Size: fontSize * scale, DPI: pointsPerInch,
		Hinting: font.HintingFull})
}

type picture struct {
	*image.RGBA
	regular, bold font.Face
}

func (p picture) draw(s Shape) {
	switch s := s.(type) {
	case Rectangle:
		o := p.outline(s.At, Point{s.At.X + s.Width, s.At.Y + s.Height})
		o.move(s.At.X, s.At.Y)
		o.line(s.At.X+s.Width, s.At.Y)
		o.line(s.At.X+s.Width, s.At.Y+s.Height)
		o.line(s.At.X, s.At.Y+s.Height)
		o.fill(s.Ink.color())
	case Band:
		fromEnd, toEnd := s.From.Y+s.FromHeight, s.To.Y+s.ToHeight
		o := p.outline(Point{s.From.X, min(s.From.Y, s.To.Y)}, Point{s.To.X, max(fromEnd, toEnd)})
		o.move(s.From.X, s.From.Y)
		o.curve(s.From, s.To)
		o.line(s.To.X, toEnd)
		o.curve(Point{s.To.X, toEnd}, Point{s.From.X, fromEnd})
		o.fill(faint(s.Ink.color()))
	case Label:
		d := font.Drawer{Dst: p, Src: image.NewUniform(s.Ink.color()), Face: p.regular}
		if s.Bold {
			d.Face = p.bold
		}
		d.Dot = fixed.P(int(s.At.X*scale), int(s.At.Y*scale))
		if s.End {
			d.Dot.X -= d.MeasureString(s.Text)
		}
		d.DrawString(s.Text)
	}
}

// outline is a shape that is being drawn, within the part of a picture that it takes.
type outline struct {
	*vector.Rasterizer
	on draw.Image
	at image.Rectangle
}

func (p picture) outline(from, to Point) outline {
	at := image.Rect(int(from.X*scale), int(from.Y*scale), int(to.X*scale)+1, int(to.Y*scale)+1)
	return outline{vector.NewRasterizer(at.Dx(), at.Dy()), p, at}
}

// place returns a point of the figure within the outline.
func (o outline) place(x, y float64) (float32, float32) {
	return float32(x*scale) - float32(o.at.Min.X), float32(y*scale) - float32(o.at.Min.Y)
}

func (o outline) move(x, y float64) { o.MoveTo(o.place(x, y)) }

func (o outline) line(x, y float64) { o.LineTo(o.place(x, y)) }

// curve draws a curve that leaves one point level, and arrives level at the other.
func (o outline) curve(from, to Point) {
	middle, y := o.place((from.X+to.X)/2, from.Y)
	endX, endY := o.place(to.X, to.Y)
	o.CubeTo(middle, y, middle, endY, endX, endY)
}

func (o outline) fill(c color.RGBA) {
	o.ClosePath()
	o.Draw(o.on, o.at, image.NewUniform(c), image.Point{})
}
