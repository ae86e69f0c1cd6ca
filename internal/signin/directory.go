package signin

import (
	"context"
	"encoding/json"

	"arbora.example/access/model"
	"arbora.example/internal/directory"
	"arbora.example/internal/store"
)

// SealDirectory seals the password of who reads the directory of a provider.
func (s *SignIns) SealDirectory(provider model.ID, password string) []byte {
	return s.sealer.Seal([]byte(password), sealedDirectory+provider.String())
}

// DirectorySettings reads how a directory is read; of the zero one it is nothing.
func DirectorySettings(d store.Directory) (set directory.Settings, err error) {
	if d.Settings != nil {
		err = json.Unmarshal(d.Settings, &set)
	}
	return set, err
}

// Connect speaks to a directory, read as its settings say. The second result ends that.
func (s *SignIns) Connect(ctx context.Context, d store.Directory, set directory.Settings) (directory.Source, func() error, error) {
	password := ""
	if len(d.Sealed) > 0 {
		opened, err := s.sealer.Open(d.Sealed, sealedDirectory+d.Provider.String())
		if err != nil {
			return nil, nil, err
		}
		password = string(opened)
	}
	return directory.Connect(ctx, set, password, s.fetch)
}

// sealedDirectory says what is sealed, so that nothing else opens as it.
const sealedDirectory = "directory "
