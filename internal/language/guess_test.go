package language_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"young-compass/internal/language"
)

func TestGuess(t *testing.T) {
	g := language.NewGuesser()
	for text, want := range map[string]string{
		"":                                    "",
		"Museum":                              "",
		"Hotel Restaurant Info":               "",
		"Fähren nach Kvitsund und Hildafjord": "de",
		"Schloß":                              "de",
		"Glas-Schreibfedern für Kalligrafie":  "de",
		"Reise-Tagebuch mit Ledereinband":     "",
		"Boats to the island and the harbour": "en",
		"Bateaux pour l'île et le port":       "fr",
		"Cómo llegar a la isla y a los puertos de la costa": "es",
		"Come arrivare al porto e gli orari":                "it",
		"Ferger til øya og havnen fra Kvitsund":             "",
		"Hvordan finner du frem til våre ferger":            "nb",
		"Hvordan finder du vej fra havnen til vores færger": "da",
		"Båtar till ön och hamnen från Kvitsund":            "sv",
		"Hoe kom je met de boot naar het eiland":            "nl",
		"Jak dojechać na wyspę i do portu":                  "pl",
		"フェリーのりば":                                           "ja",
		"時刻表":                                               "zh",
		"時刻表のご案内":                                           "ja",
		"Расписание паромов":                                "ru",
	} {
		assert.Equal(t, want, g.Guess(text), text)
	}
}
