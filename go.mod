module young-compass

go 1.26.0

require (
	github.com/goccy/go-yaml v1.19.2
	github.com/google/renameio/v2 v2.0.2
	github.com/mozillazg/go-unidecode v0.2.0
	github.com/stretchr/testify v1.12.1
	golang.org/x/net v0.62.0
	golang.org/x/text v0.43.0
)

require go.yaml.in/yaml/v3 v3.0.5 // indirect
