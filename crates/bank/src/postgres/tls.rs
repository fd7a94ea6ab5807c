//! TLS towards the database server: its certificate must be for its name, and from an authority that is trusted.

use super::address::{Address, Tls};
use pebblebank_table::{Error, ErrorKind, Result};
use postgres::Socket;
use postgres::tls::{ChannelBinding, MakeTlsConnect, TlsConnect, TlsStream};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName};
use rustls::{ClientConfig, RootCertStore};
use std::future::Future;
use std::io;
use std::path::Path;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll};
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};
use tokio_rustls::TlsConnector;

/// Makes connections to servers whose certificates fit.
#[derive(Clone)]
pub(super) struct MakeVerified(Arc<ClientConfig>);

/// What makes verified connections to an address; none where there is to be no TLS.
pub(super) fn for_address(address: &Address) -> Result<Option<MakeVerified>> {
    let Tls::Verified(file) = &address.tls else { return Ok(None) };
    let roots = match file {
        Some(file) => roots_of(file)?,
        None => roots_of_system(address)?,
    };
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = ClientConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .map_err(|_| Error::defect())?
        .with_root_certificates(roots)
        .with_no_client_auth();
    Ok(Some(MakeVerified(Arc::new(config))))
}

fn roots_of(file: &Path) -> Result<RootCertStore> {
    let none = || {
        let what = "this file has no certificate of an authority";
        Error::new(ErrorKind::Input, what, "name a file in PEM form with sslrootcert").in_file(file)
    };
    let mut roots = RootCertStore::empty();
    for certificate in CertificateDer::pem_file_iter(file).map_err(|_| none())? {
        roots.add(certificate.map_err(|_| none())?).map_err(|_| none())?;
    }
    if roots.is_empty() { Err(none()) } else { Ok(roots) }
}

fn roots_of_system(address: &Address) -> Result<RootCertStore> {
    let mut roots = RootCertStore::empty();
    roots.add_parsable_certificates(rustls_native_certs::load_native_certs().certs);
    if roots.is_empty() {
        let what = "this machine knows no authority that could vouch for the server of the bank";
        let advice = "name the certificate of the authority in the address: sslrootcert=FILE";
        return Err(Error::new(ErrorKind::Input, what, advice).in_file(address.shown()));
    }
    Ok(roots)
}

impl MakeTlsConnect<Socket> for MakeVerified {
    type Stream = Protected;
    type TlsConnect = ConnectVerified;
    type Error = io::Error;

    fn make_tls_connect(&mut self, host: &str) -> io::Result<ConnectVerified> {
        let host = ServerName::try_from(host.to_owned()).map_err(|cause| io::Error::other(cause.to_string()))?;
        Ok(ConnectVerified { connector: TlsConnector::from(Arc::clone(&self.0)), host })
    }
}

/// Makes one connection.
pub(super) struct ConnectVerified {
    connector: TlsConnector,
    host: ServerName<'static>,
}

impl TlsConnect<Socket> for ConnectVerified {
    type Stream = Protected;
    type Error = io::Error;
    type Future = Pin<Box<dyn Future<Output = io::Result<Protected>> + Send>>;

    fn connect(self, socket: Socket) -> Self::Future {
        Box::pin(
            async move { self.connector.connect(self.host, socket).await.map(|stream| Protected(Box::new(stream))) },
        )
    }
}

/// A connection that is protected.
pub(super) struct Protected(Box<tokio_rustls::client::TlsStream<Socket>>);

impl TlsStream for Protected {
    fn channel_binding(&self) -> ChannelBinding {
        ChannelBinding::none()
    }
}

impl AsyncRead for Protected {
    fn poll_read(
        mut self: Pin<&mut Self>,
        context: &mut Context<'_>,
        buffer: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        Pin::new(&mut *self.0).poll_read(context, buffer)
    }
}

impl AsyncWrite for Protected {
    fn poll_write(mut self: Pin<&mut Self>, context: &mut Context<'_>, bytes: &[u8]) -> Poll<io::Result<usize>> {
        Pin::new(&mut *self.0).poll_write(context, bytes)
    }

    fn poll_flush(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut *self.0).poll_flush(context)
    }

    fn poll_shutdown(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut *self.0).poll_shutdown(context)
    }
}
