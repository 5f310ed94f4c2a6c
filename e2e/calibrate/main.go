// Command calibrate holds the measure of core/similar against two public ones, Butteraugli and
// its successor in libjxl, which know nothing of it:
//
//	apt-get install butteraugli libjxl-devtools
//	go run ./e2e/calibrate --pictures photographs/ --work calibration/
//
// Each picture is scaled as a box of 1440 CSS px shows it at densities 1 and 2, its busiest 640 x
// 426 px are coded as JPEG, WebP and AVIF at eight qualities, and every coding is judged by all.
// The figures of the public measures are kept in the work folder; the report goes to --report.
//
//	go run ./e2e/calibrate --fit shown/
//
// prints the weights of core/similar/weights.go, up to one factor, fitted to libjxl's maps of the pictures that a trial
// of core/cut leaves in the folder that TOURMALINE_SHOWN names, and how well the measure as it is foretells them.
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"slices"
)

func main() {
	log.SetFlags(0)
	var c calibration
	flag.StringVar(&c.pictures, "pictures", "", "folder of photographs")
	flag.StringVar(&c.work, "work", "", "folder for codings and figures")
	report := flag.String("report", "", "file for the report; empty: standard output")
	shown := flag.String("fit", "", "folder of what a trial showed, to fit weights to")
	flag.Parse()
	if *shown != "" {
		text, err := fitted(*shown)
		if err != nil {
			log.Fatal(err)
		}
		fmt.Print(text)
		return
	}
	if c.pictures == "" || c.work == "" {
		log.Fatal("give --pictures FOLDER and --work FOLDER")
	}
	names, err := filepath.Glob(filepath.Join(c.pictures, "*"))
	if err != nil {
		log.Fatal(err)
	}
	slices.Sort(names)
	samples, err := c.run(context.Background(), names)
	if err != nil {
		log.Fatal(err)
	}
	out := os.Stdout
	if *report != "" {
		if out, err = os.Create(*report); err != nil {
			log.Fatal(err)
		}
		defer out.Close()
	}
	fmt.Fprint(out, text(samples))
}
