package shape

import (
	"cmp"
	"path"
	"slices"
	"strings"
)

// kindWords are what sections of one kind of pages are called on many sites, in several languages, by the kind.
func kindWords() map[string][]string {
	return map[string][]string{
		"page": {"page", "pages", "info", "infos", "information", "informationen", "informations", "static", "text",
			"texte", "seite", "seiten", "pagina", "paginas"},
		"product": {"product", "products", "produkt", "produkte", "produits", "produit", "productos", "prodotti",
			"producten", "produkter", "catalogue", "catalog", "katalog", "shop", "store", "boutique", "tienda", "negozio",
			"winkel", "laden"},
		"category": {"category", "categories", "kategorie", "kategorien", "categorie", "catégorie", "catégories",
			"categoria", "categorias", "categorieen", "kategori", "kategorier", "cat"},
		"brand": {"brand", "brands", "marke", "marken", "marque", "marques", "marca", "marcas", "merk", "merken",
			"manufacturer", "manufacturers", "hersteller"},
		"news": {"news", "aktuelles", "nachrichten", "meldungen", "actualites", "actualite", "actus", "noticias",
			"notizie", "nieuws", "nyheter", "aktuelt"},
		"post":    {"blog", "journal", "post", "posts", "weblog", "tagebuch"},
		"article": {"article", "articles", "artikel", "articulos", "articoli", "artikler"},
		"event": {"event", "events", "veranstaltung", "veranstaltungen", "termine", "evenements", "evenement", "agenda",
			"eventos", "eventi", "evenementen", "kalender", "calendar"},
		"tag": {"tag", "tags", "schlagwort", "schlagwoerter", "stichwort", "mot-cle", "etiqueta", "etiquetas", "topic",
			"topics", "thema", "themen"},
		"author": {"author", "authors", "autor", "autoren", "auteur", "auteurs", "autores", "autore", "autori"},
		"guide":  {"guide", "guides", "ratgeber", "reisefuehrer", "guias", "guida", "gids", "anleitungen"},
		"service": {"service", "services", "leistungen", "dienstleistungen", "servicios", "servizi", "diensten",
			"tjenester"},
		"project": {"project", "projects", "projekt", "projekte", "projet", "projets", "proyectos", "progetti",
			"projecten", "referenzen"},
		"person": {"people", "team", "staff", "mitarbeiter", "equipe", "personas", "persone", "mensen"},
		"recipe": {"recipe", "recipes", "rezept", "rezepte", "recette", "recettes", "recetas", "ricette", "recepten",
			"oppskrifter"},
		"place":    {"place", "places", "orte", "lieux", "lugares", "luoghi", "plaatsen", "steder"},
		"question": {"faq", "faqs", "questions", "fragen", "hilfe", "help", "preguntas", "domande", "vragen"},
	}
}

// byWord returns the kinds by the words for their sections.
func byWord() map[string]string {
	kinds := map[string]string{}
	for kind, words := range kindWords() {
		for _, word := range words {
			kinds[word] = kind
		}
	}
	return kinds
}

// KindOf returns what pages are called that stand in a section of a name: the usual word for it, or the name in the
// singular.
//
//	produkte   product
//	ports      port
func KindOf(section string) string {
	section = strings.ToLower(section)
	return cmp.Or(byWord()[section], Singular(section))
}

// Singular returns the singular of an English word, where it is told by the ending alone.
func Singular(word string) string {
	switch {
	case len(word) < 4 || strings.HasSuffix(word, "ss") || strings.HasSuffix(word, "us") || strings.HasSuffix(word,
		"is") ||
		slices.Contains([]string{"news", "series", "species", "sales"}, word):
		return word
	case strings.HasSuffix(word, "ies"):
		return word[:len(word)-3] + "y"
	case strings.HasSuffix(word, "sses"), strings.HasSuffix(word, "xes"), strings.HasSuffix(word,
		"ches"), strings.HasSuffix(word, "shes"):
		return word[:len(word)-2]
	case strings.HasSuffix(word, "s"):
		return word[:len(word)-1]
	}
	return word
}

// Plural returns the plural of an English word.
func Plural(word string) string {
	switch {
	case word == "" || strings.HasSuffix(word, "s") && !strings.HasSuffix(word, "ss") || word == "fleet":
		return word
	case strings.HasSuffix(word, "y") && len(word) > 1 && !strings.ContainsRune("aeiou", rune(word[len(word)-2])):
		return word[:len(word)-1] + "ies"
	case word == "person":
		return "people"
	case strings.HasSuffix(word, "ss"), strings.HasSuffix(word, "x"), strings.HasSuffix(word,
		"ch"), strings.HasSuffix(word, "sh"):
		return word + "es"
	}
	return word + "s"
}

// general are names of scripts and of what they do that say nothing of what they show.
func general() []string {
	return []string{"index", "default", "main", "home", "page", "site", "content", "show", "view", "start", "app", "cms",
		"list", "detail", "details", "display",
		"browse", "read", "open", "get", "goto", "do"}
}

// Words returns what a group's pages are called by their addresses, the most particular first; empty where they say
// nothing.
func (g *Group) Words() (kind, section string) {
	switch {
	case g.Script != "":
		for i := len(g.Fixed) - 1; i >= 0; i-- {
			if v := strings.ToLower(strings.TrimPrefix(g.Fixed[i].Value, "=")); v != "" && !slices.Contains(general(), v) {
				return KindOf(v), v
			}
		}
		name := strings.ToLower(strings.TrimSuffix(path.Base(g.Script), path.Ext(g.Script)))
		for i := len(g.Varying) - 1; i >= 0; i-- {
			if kind := KindOf(strings.ToLower(g.Varying[i])); kind != Singular(strings.ToLower(g.Varying[i])) {
				return kind, ""
			}
		}
		if name != "/" && name != "." && name != "" && !slices.Contains(general(), name) && len(g.Varying) < 2 {
			return KindOf(name), name
		}
		return queryKind(g.Varying), ""
	case len(g.Literals) > 0:
		last := strings.ToLower(g.Literals[len(g.Literals)-1])
		kind = KindOf(last)
		if g.Inner {
			kind = innerKind(kind)
		}
		return kind, last
	case g.Date > 0:
		return "post", ""
	case g.Prefix != "":
		return queryKind([]string{strings.ToLower(strings.Trim(g.Prefix, "-_"))}), ""
	}
	return "", ""
}

// innerKind returns what pages are called that have others of a kind below them.
func innerKind(kind string) string {
	if kind == "product" {
		return "category"
	}
	return kind + "-section"
}

// queryKind returns what pages are called that parameters tell apart.
func queryKind(names []string) string {
	last := ""
	for _, name := range names {
		switch name = strings.ToLower(name); name {
		case "id", "item", "nr", "no", "page", "p", "sec", "view", "path", "content", "section", "menu":
		case "prod", "product", "product_id", "pid", "prodid", "sku":
			return "product"
		case "cat", "c", "category", "catid", "cid", "category_id", "categoryid":
			last = "category"
		case "art", "article", "aid", "artid":
			return "article"
		default:
			last = strings.TrimSuffix(strings.TrimSuffix(name, "_id"), "id")
		}
	}
	if last == "" && len(names) > 0 && !slices.Contains([]string{"id", "nr", "no", "p"},
		strings.ToLower(names[len(names)-1])) {
		last = Singular(strings.ToLower(names[len(names)-1]))
	}
	return strings.Trim(last, "_-")
}
