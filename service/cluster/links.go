package cluster

import (
	"crypto/ed25519"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"math/big"
	"time"
)

// Links between nodes are encrypted, and both ends show that they know the secret: the key of the one certificate that
// all nodes use is derived from it (HKDF, RFC 5869; Ed25519, RFC 8032), so that there are no files to hand around.

// linkName is the name in the certificate; where a node is does not matter.
const linkName = "alluvion"

// linksOf is how nodes with a secret speak to each other: TLS 1.3 (RFC 8446), by the same certificate at both ends.
func linksOf(secret string) (*tls.Config, error) {
	seed, err := hkdf.Key(sha256.New, []byte(secret), nil, "alluvion: links between nodes", ed25519.SeedSize)
	if err != nil {
		return nil, err
	}
	key := ed25519.NewKeyFromSeed(seed)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: linkName}, DNSNames: []string{linkName},
		NotBefore: time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC), NotAfter: time.Date(2200, 1, 1, 0, 0, 0, 0, time.UTC),
		BasicConstraintsValid: true, IsCA: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth, x509.ExtKeyUsageClientAuth}}
	raw, err := x509.CreateCertificate(rand.Reader, template, template, key.Public(), key)
	if err != nil {
		return nil, err
	}
	certificate, err := x509.ParseCertificate(raw)
	if err != nil {
		return nil, err
	}
	known := x509.NewCertPool()
	known.AddCert(certificate)
	return &tls.Config{MinVersion: tls.VersionTLS13, ServerName: linkName, RootCAs: known, ClientCAs: known, ClientAuth: tls.RequireAndVerifyClientCert,
		Certificates: []tls.Certificate{{Certificate: [][]byte{raw}, PrivateKey: key, Leaf: certificate}}}, nil
}
