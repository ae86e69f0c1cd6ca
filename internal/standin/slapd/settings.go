package slapd

import "arbora.example/api"

// Wanted is how the server is read, the rest being as it is usual.
func (s *Server) Wanted(usual api.DirectorySettings) api.DirectoryWanted {
	password := Password
	usual.Address, usual.BindName, usual.People.Base, usual.Groups.Base = s.Address, Reader, People, Groups
	return api.DirectoryWanted{Settings: usual, Password: &password}
}
