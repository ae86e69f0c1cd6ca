package main

import (
	"fmt"
	"math"
	"os"
	"strings"
	"time"

	"arbora.example/access/model"
)

// plotGrowth measures decisions and a bare map at several sizes and draws both as an SVG.
func plotGrowth(file string, seed uint64) error {
	var points []growth
	for _, scale := range []float64{0.001, 0.003, 0.01, 0.03, 0.1, 0.3, 1} {
		o := generate(full.times(scale), seed)
		s, err := build(o)
		if err != nil {
			return err
		}
		byID := make(map[model.ID]int, len(o.resources))
		for i, resource := range o.resources {
			byID[resource.ID] = i
		}
		asked := questions(o, 1<<19)
		p := growth{resources: len(o.resources)}
		found := 0
		p.lookUp = each(len(asked), func(i int) { found += byID[asked[i].Scope] })
		p.decide = each(len(asked), func(i int) {
			if s.Decide(asked[i]).Allowed {
				found++
			}
		})
		fmt.Println(p.resources, p.lookUp, p.decide, found > 0)
		points = append(points, p)
	}
	return os.WriteFile(file, []byte(draw(points)), 0o644)
}

type growth struct {
	resources      int
	lookUp, decide time.Duration
}

// draw draws time against size, both by powers of ten on the way across, evenly upward.
func draw(points []growth) string {
	const width, height, left, bottom, top = 760, 420, 70, 360, 40
	most := time.Duration(0)
	for _, p := range points {
		most = max(most, p.decide)
	}
	x := func(resources int) float64 {
		return left + (math.Log10(float64(resources))-3)/3*(width-left-40)
	}
	y := func(t time.Duration) float64 { return bottom - float64(t)/float64(most)*(bottom-top) }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" font-family="sans-serif" font-size="13">`+"\n", width, height)
	fmt.Fprintf(&b, `<rect width="%d" height="%d" fill="#f8f6f0"/>`+"\n", width, height)
	step := 250 * time.Nanosecond
	for most/step > 8 {
		step *= 2
	}
	for t := time.Duration(0); t <= most; t += step {
		fmt.Fprintf(&b, `<line x1="%d" x2="%d" y1="%.1f" y2="%.1f" stroke="#cfcabb"/><text x="%d" y="%.1f" text-anchor="end" fill="#55584e">%d ns</text>`+"\n",
			left, width-40, y(t), y(t), left-8, y(t)+4, t.Nanoseconds())
	}
	for n, label := range map[int]string{1000: "1,000", 10_000: "10,000", 100_000: "100,000", 1_000_000: "1,000,000"} {
		fmt.Fprintf(&b, `<text x="%.1f" y="%d" text-anchor="middle" fill="#55584e">%s</text>`+"\n", x(n), bottom+22, label)
	}
	fmt.Fprintf(&b, `<text x="%d" y="%d" text-anchor="middle" fill="#55584e">registered resources</text>`+"\n", (width+left)/2, bottom+46)
	line := func(name, colour string, of func(growth) time.Duration) {
		var path []string
		for _, p := range points {
			path = append(path, fmt.Sprintf("%.1f,%.1f", x(p.resources), y(of(p))))
			fmt.Fprintf(&b, `<circle cx="%.1f" cy="%.1f" r="3.5" fill="%s"/>`+"\n", x(p.resources), y(of(p)), colour)
		}
		last := points[len(points)-1]
		fmt.Fprintf(&b, `<polyline points="%s" fill="none" stroke="%s" stroke-width="2"/><text x="%.1f" y="%.1f" text-anchor="end" fill="%s">%s</text>`+"\n",
			strings.Join(path, " "), colour, x(last.resources), y(of(last))-10, colour, name)
	}
	line("a decision", "#24684f", func(p growth) time.Duration { return p.decide })
	line("finding the id in a map", "#a34d17", func(p growth) time.Duration { return p.lookUp })
	b.WriteString("</svg>\n")
	return b.String()
}
