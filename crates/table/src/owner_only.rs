//! Files and folders that only their owner may read: people's addresses are in them. The modes are these whatever the umask.

use std::fs::File;
use std::io::Result;
use std::path::Path;

/// Makes a new file; fails where there is one.
pub fn create_new(path: &Path) -> Result<File> {
    let mut options = File::options();
    options.read(true).write(true).create_new(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    let file = options.open(path)?;
    restrict(&file)?;
    Ok(file)
}

/// Gives an open file of this program's own the mode of such files.
pub fn restrict(file: &File) -> Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        if file.metadata()?.permissions().mode() & 0o777 != 0o600 {
            file.set_permissions(std::fs::Permissions::from_mode(0o600))?;
        }
    }
    Ok(())
}

/// Makes a new folder; fails where there is one.
pub fn create_folder(path: &Path) -> Result<()> {
    let mut builder = std::fs::DirBuilder::new();
    #[cfg(unix)]
    std::os::unix::fs::DirBuilderExt::mode(&mut builder, 0o700);
    builder.create(path)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        if path.metadata()?.permissions().mode() & 0o777 != 0o700 {
            std::fs::set_permissions(path, std::fs::Permissions::from_mode(0o700))?;
        }
    }
    Ok(())
}

/// Makes a folder and those that it lies in, as far as they are not there.
pub fn create_folders(path: &Path) -> Result<()> {
    if path.as_os_str().is_empty() || path.is_dir() {
        return Ok(());
    }
    if let Some(above) = path.parent() {
        create_folders(above)?;
    }
    match create_folder(path) {
        // Another command was quicker.
        Err(cause) if cause.kind() == std::io::ErrorKind::AlreadyExists && path.is_dir() => Ok(()),
        made => made,
    }
}
