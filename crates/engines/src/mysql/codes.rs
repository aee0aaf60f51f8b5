//! What the error numbers of MySQL and MariaDB mean for somebody who wants to connect
//! (MySQL documentation, "Server Error Message Reference"; MariaDB documentation, "Error
//! Codes"). Numbers only: the words are translated.

use chronaxis_model::fact::Meaning;

/// The meaning of a refusal.
pub fn meaning(number: u16) -> Meaning {
    match number {
        // ER_CON_COUNT_ERROR; MariaDB's and MySQL's reserved places for administrators.
        1040 => Meaning::ServerFull,
        // ER_OUT_OF_RESOURCES, ER_CANT_CREATE_THREAD.
        1041 | 1135 => Meaning::OutOfResources,
        // ER_BAD_HOST_ERROR: no name for this address; ER_HOST_IS_BLOCKED: too many lines
        // that ended early; ER_HOST_NOT_PRIVILEGED: no account is for this address.
        1042 | 1129 | 1130 => Meaning::ClientBlocked,
        // ER_HANDSHAKE_ERROR, ER_UNKNOWN_COM_ERROR, ER_NOT_SUPPORTED_AUTH_MODE's old kin.
        1043 | 1047 => Meaning::ProtocolRefused,
        1044 => Meaning::DatabaseNotPermitted,
        // ER_ACCESS_DENIED_NO_PASSWORD_ERROR is said of an account for a socket and an account
        // of the operating system, and of users that do not exist, too.
        1045 | 1698 => Meaning::AccessDenied,
        1049 => Meaning::DatabaseMissing,
        // ER_SERVER_SHUTDOWN, ER_NORMAL_SHUTDOWN, ER_CONNECTION_KILLED (MariaDB).
        1053 | 1077 | 1927 => Meaning::Stopping,
        // ER_TOO_MANY_USER_CONNECTIONS, ER_USER_LIMIT_REACHED.
        1203 | 1226 => Meaning::AccountLimit,
        // ER_SPECIFIC_ACCESS_DENIED_ERROR: an initial command needs a privilege;
        // ER_UNKNOWN_SYSTEM_VARIABLE, ER_UNKNOWN_CHARACTER_SET.
        1227 | 1193 | 1115 => Meaning::StartupParameterRefused,
        // ER_NOT_SUPPORTED_AUTH_MODE, ER_PLUGIN_IS_NOT_LOADED.
        1251 | 1524 => Meaning::MethodRefused,
        // ER_NET_READ_ERROR, ER_NET_READ_INTERRUPTED; ER_CLIENT_INTERACTION_TIMEOUT.
        1158 | 1159 | 4031 => Meaning::TooSlow,
        // ER_MUST_CHANGE_PASSWORD, ER_MUST_CHANGE_PASSWORD_LOGIN.
        1820 | 1862 => Meaning::PasswordExpired,
        // ER_SERVER_OFFLINE_MODE: switched off for all but administrators.
        3032 => Meaning::DatabaseClosed,
        // ER_ACCOUNT_HAS_BEEN_LOCKED of both, and the lock after too many wrong passwords.
        3118 | 3955 | 4151 => Meaning::AccountLocked,
        3159 => Meaning::EncryptionRequired,
        _ => Meaning::Other,
    }
}

/// Whether a refusal of this meaning comes only after the password was sent was accepted.
pub fn after_proof(meaning: Meaning) -> bool {
    matches!(
        meaning,
        Meaning::DatabaseMissing
            | Meaning::DatabaseNotPermitted
            | Meaning::AccountLimit
            | Meaning::PasswordExpired
            | Meaning::StartupParameterRefused
    )
}
