package pair

// firstWeights count what can be seen of two pages alone; that none is the one
// weighs 0. Both sets were fitted to made-up sites; see docs/pairing.md.
func firstWeights() weights {
	return weights{
		always:          -1.710,
		titled:          -0.358,
		titleAlike:      0.602,
		titleWithin:     0.028,
		titleVeryAlike:  0.001,
		titleEqual:      1.688,
		slugAlike:       0.021,
		slugEqual:       2.366,
		crossAlike:      0.575,
		allAlike:        4.489,
		rarity:          1.891,
		onlyOld:         -0.688,
		onlyNew:         -1.197,
		texted:          -6.897,
		textAlike:       12.471,
		textVeryAlike:   19.094,
		yearEqual:       0.583,
		yearDiffers:     -6.176,
		yearAlone:       -6.524,
		idEqual:         5.906,
		idSure:          5.906,
		idDiffers:       -0.002,
		dateEqual:       0.064,
		dateDiffers:     -0.921,
		foreignLanguage: -2.000,
	}
}

// finalWeights count everything.
func finalWeights() weights {
	return weights{
		always:          -0.054,
		titled:          -0.436,
		titleAlike:      0.326,
		titleWithin:     0.460,
		titleEqual:      0.003,
		signsDiffer:     -0.532,
		slugAlike:       1.098,
		slugEqual:       0.001,
		crossAlike:      0.443,
		allAlike:        0.930,
		rarity:          1.231,
		onlyOld:         -0.001,
		onlyNew:         -0.996,
		texted:          -2.985,
		textAlike:       6.779,
		textVeryAlike:   8.901,
		yearEqual:       0.012,
		yearDiffers:     -0.020,
		yearAlone:       -2.793,
		numberDiffers:   -0.004,
		idEqual:         5.171,
		idSure:          2.566,
		idDiffers:       -0.008,
		dateDiffers:     -0.620,
		foreignLanguage: -2.000,
		placed:          2.234,
		folderLost:      -3.372,
		folderNew:       -3.938,
		slugKept:        0.001,
		ahead:           2.878,
		beaten:          -1.268,
	}
}
