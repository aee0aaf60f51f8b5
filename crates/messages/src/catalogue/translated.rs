//! What PostgreSQL and its C library say in other languages: from the catalogues that its
//! packages ship (version 15).

use crate::pattern::{Component, Kind, Pattern, Source, stop};

pub(super) const ALL: &[Component] = &[Component {
    id: "postgresql-translated",
    title: "PostgreSQL and libpq, translated",
    kind: Kind::Server,
    engine: Some("postgresql"),
    languages: "C, Python, PHP, Ruby, Perl, shell",
    source: Source::Published,
    patterns: PATTERNS,
}];

const PATTERNS: &[Pattern] = &[
    stop(
        "pg-password-de",
        "Passwort-Authentifizierung für Benutzer \"{user}\" fehlgeschlagen",
        "login/credentials-refused",
    )
    .lang("de")
    .eg("Passwort-Authentifizierung für Benutzer »purser« fehlgeschlagen")
    .not("Rolle »purser« existiert nicht"),
    stop(
        "pg-no-role-de",
        "Rolle \"{user}\" existiert nicht",
        "login/identity-refused",
    )
    .lang("de")
    .sig(&[("role-words", "no-such-role")])
    .eg("Rolle »purser« existiert nicht")
    .not("Rolle »purser« hat keine Berechtigung zum Einloggen"),
    stop(
        "pg-no-login-de",
        "Rolle \"{user}\" hat keine Berechtigung zum Einloggen",
        "login/identity-refused",
    )
    .lang("de")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("Rolle »purser« hat keine Berechtigung zum Einloggen")
    .not("Datenbank »sailings« existiert nicht"),
    stop(
        "pg-no-database-de",
        "Datenbank \"{database}\" existiert nicht",
        "session/database-missing",
    )
    .lang("de")
    .eg("Datenbank »sailings« existiert nicht")
    .not("tut mir leid, schon zu viele Verbindungen"),
    stop(
        "pg-full-de",
        "tut mir leid, schon zu viele Verbindungen",
        "listener/full",
    )
    .lang("de")
    .eg("tut mir leid, schon zu viele Verbindungen")
    .not("das Datenbanksystem startet"),
    stop(
        "pg-starting-de",
        "das Datenbanksystem startet",
        "listener/not-ready",
    )
    .lang("de")
    .sig(&[("state-words", "starting")])
    .eg("das Datenbanksystem startet")
    .not("das Datenbanksystem fährt herunter"),
    stop(
        "pg-stopping-de",
        "das Datenbanksystem fährt herunter",
        "listener/not-ready",
    )
    .lang("de")
    .sig(&[("state-words", "stopping")])
    .eg("das Datenbanksystem fährt herunter")
    .not("zu viele Verbindungen von Rolle »purser«"),
    stop(
        "pg-role-limit-de",
        "zu viele Verbindungen von Rolle \"{user}\"",
        "login/limit",
    )
    .lang("de")
    .eg("zu viele Verbindungen von Rolle »purser«")
    .not("keine Berechtigung für Datenbank »sailings«"),
    stop(
        "pg-database-denied-de",
        "keine Berechtigung für Datenbank \"{database}\"",
        "session/database-not-permitted",
    )
    .lang("de")
    .eg("keine Berechtigung für Datenbank »sailings«")
    .not("Server beendete die Verbindung unerwartet"),
    stop(
        "pg-closed-de",
        "Server beendete die Verbindung unerwartet",
        "listener/closed",
    )
    .lang("de")
    .eg("Server beendete die Verbindung unerwartet")
    .not("Server unterstützt kein SSL, aber SSL wurde verlangt"),
    stop(
        "pg-no-tls-de",
        "Server unterstützt kein SSL, aber SSL wurde verlangt",
        "tls/not-offered",
    )
    .lang("de")
    .eg("Server unterstützt kein SSL, aber SSL wurde verlangt")
    .not("konnte Hostnamen »quay.osmary.example« nicht in Adresse übersetzen:"),
    stop(
        "pg-name-de",
        "konnte Hostnamen \"{host}\" nicht in Adresse übersetzen",
        "name/not-found",
    )
    .lang("de")
    .weak()
    .eg("konnte Hostnamen »quay.osmary.example« nicht in Adresse übersetzen:")
    .not("Passwort-Authentifizierung für Benutzer »purser« fehlgeschlagen"),
    stop(
        "pg-password-es",
        "la autentificación password falló para el usuario \"{user}\"",
        "login/credentials-refused",
    )
    .lang("es")
    .eg("la autentificación password falló para el usuario «purser»")
    .not("no existe el rol «purser»"),
    stop(
        "pg-no-role-es",
        "no existe el rol \"{user}\"",
        "login/identity-refused",
    )
    .lang("es")
    .sig(&[("role-words", "no-such-role")])
    .eg("no existe el rol «purser»")
    .not("al rol «purser» no se le permite conectarse"),
    stop(
        "pg-no-login-es",
        "al rol \"{user}\" no se le permite conectarse",
        "login/identity-refused",
    )
    .lang("es")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("al rol «purser» no se le permite conectarse")
    .not("no existe la base de datos «sailings»"),
    stop(
        "pg-no-database-es",
        "no existe la base de datos \"{database}\"",
        "session/database-missing",
    )
    .lang("es")
    .eg("no existe la base de datos «sailings»")
    .not("lo siento, ya tenemos demasiados clientes"),
    stop(
        "pg-full-es",
        "lo siento, ya tenemos demasiados clientes",
        "listener/full",
    )
    .lang("es")
    .eg("lo siento, ya tenemos demasiados clientes")
    .not("el sistema de base de datos está iniciándose"),
    stop(
        "pg-starting-es",
        "el sistema de base de datos está iniciándose",
        "listener/not-ready",
    )
    .lang("es")
    .sig(&[("state-words", "starting")])
    .eg("el sistema de base de datos está iniciándose")
    .not("el sistema de base de datos está apagándose"),
    stop(
        "pg-stopping-es",
        "el sistema de base de datos está apagándose",
        "listener/not-ready",
    )
    .lang("es")
    .sig(&[("state-words", "stopping")])
    .eg("el sistema de base de datos está apagándose")
    .not("demasiadas conexiones para el rol «purser»"),
    stop(
        "pg-role-limit-es",
        "demasiadas conexiones para el rol \"{user}\"",
        "login/limit",
    )
    .lang("es")
    .eg("demasiadas conexiones para el rol «purser»")
    .not("permiso denegado a la base de datos «sailings»"),
    stop(
        "pg-database-denied-es",
        "permiso denegado a la base de datos \"{database}\"",
        "session/database-not-permitted",
    )
    .lang("es")
    .eg("permiso denegado a la base de datos «sailings»")
    .not("el servidor ha cerrado la conexión inesperadamente"),
    stop(
        "pg-closed-es",
        "el servidor ha cerrado la conexión inesperadamente",
        "listener/closed",
    )
    .lang("es")
    .eg("el servidor ha cerrado la conexión inesperadamente")
    .not("el servidor no soporta SSL, pero SSL es requerida"),
    stop(
        "pg-no-tls-es",
        "el servidor no soporta SSL, pero SSL es requerida",
        "tls/not-offered",
    )
    .lang("es")
    .eg("el servidor no soporta SSL, pero SSL es requerida")
    .not("no se pudo traducir el nombre «quay.osmary.example» a una dirección:"),
    stop(
        "pg-name-es",
        "no se pudo traducir el nombre \"{host}\" a una dirección",
        "name/not-found",
    )
    .lang("es")
    .weak()
    .eg("no se pudo traducir el nombre «quay.osmary.example» a una dirección:")
    .not("la autentificación password falló para el usuario «purser»"),
    stop(
        "pg-password-fr",
        "authentification par mot de passe échouée pour l'utilisateur \" {user} \"",
        "login/credentials-refused",
    )
    .lang("fr")
    .eg("authentification par mot de passe échouée pour l'utilisateur  « purser »")
    .not("le rôle « purser » n'existe pas"),
    stop(
        "pg-no-role-fr",
        "le rôle \" {user} \" n'existe pas",
        "login/identity-refused",
    )
    .lang("fr")
    .sig(&[("role-words", "no-such-role")])
    .eg("le rôle « purser » n'existe pas")
    .not("le rôle « purser » n'est pas autorisé à se connecter"),
    stop(
        "pg-no-login-fr",
        "le rôle \" {user} \" n'est pas autorisé à se connecter",
        "login/identity-refused",
    )
    .lang("fr")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("le rôle « purser » n'est pas autorisé à se connecter")
    .not("la base de données « sailings » n'existe pas"),
    stop(
        "pg-no-database-fr",
        "la base de données \" {database} \" n'existe pas",
        "session/database-missing",
    )
    .lang("fr")
    .eg("la base de données « sailings » n'existe pas")
    .not("désolé, trop de clients sont déjà connectés"),
    stop(
        "pg-full-fr",
        "désolé, trop de clients sont déjà connectés",
        "listener/full",
    )
    .lang("fr")
    .eg("désolé, trop de clients sont déjà connectés")
    .not("le système de bases de données se lance"),
    stop(
        "pg-starting-fr",
        "le système de bases de données se lance",
        "listener/not-ready",
    )
    .lang("fr")
    .sig(&[("state-words", "starting")])
    .eg("le système de bases de données se lance")
    .not("le système de base de données s'arrête"),
    stop(
        "pg-stopping-fr",
        "le système de base de données s'arrête",
        "listener/not-ready",
    )
    .lang("fr")
    .sig(&[("state-words", "stopping")])
    .eg("le système de base de données s'arrête")
    .not("trop de connexions pour le rôle « purser »"),
    stop(
        "pg-role-limit-fr",
        "trop de connexions pour le rôle \" {user} \"",
        "login/limit",
    )
    .lang("fr")
    .eg("trop de connexions pour le rôle « purser »")
    .not("droit refusé pour la base de données « sailings »"),
    stop(
        "pg-database-denied-fr",
        "droit refusé pour la base de données \" {database} \"",
        "session/database-not-permitted",
    )
    .lang("fr")
    .eg("droit refusé pour la base de données « sailings »")
    .not("la connexion au serveur a été coupée de façon inattendue"),
    stop(
        "pg-closed-fr",
        "la connexion au serveur a été coupée de façon inattendue",
        "listener/closed",
    )
    .lang("fr")
    .eg("la connexion au serveur a été coupée de façon inattendue")
    .not("le serveur ne supporte pas SSL alors que SSL était réclamé"),
    stop(
        "pg-no-tls-fr",
        "le serveur ne supporte pas SSL alors que SSL était réclamé",
        "tls/not-offered",
    )
    .lang("fr")
    .eg("le serveur ne supporte pas SSL alors que SSL était réclamé")
    .not("n'a pas pu traduire le nom d'hôte « quay.osmary.example » en adresse :"),
    stop(
        "pg-name-fr",
        "n'a pas pu traduire le nom d'hôte \" {host} \" en adresse",
        "name/not-found",
    )
    .lang("fr")
    .weak()
    .eg("n'a pas pu traduire le nom d'hôte « quay.osmary.example » en adresse :")
    .not("authentification par mot de passe échouée pour l'utilisateur  « purser »"),
    stop(
        "pg-password-it",
        "autenticazione con password fallita per l'utente \"{user}\"",
        "login/credentials-refused",
    )
    .lang("it")
    .eg("autenticazione con password fallita per l'utente \"purser\"")
    .not("il ruolo \"purser\" non esiste"),
    stop(
        "pg-no-role-it",
        "il ruolo \"{user}\" non esiste",
        "login/identity-refused",
    )
    .lang("it")
    .sig(&[("role-words", "no-such-role")])
    .eg("il ruolo \"purser\" non esiste")
    .not("al ruolo \"purser\" non è consentito effettuare il login"),
    stop(
        "pg-no-login-it",
        "al ruolo \"{user}\" non è consentito effettuare il login",
        "login/identity-refused",
    )
    .lang("it")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("al ruolo \"purser\" non è consentito effettuare il login")
    .not("il database \"sailings\" non esiste"),
    stop(
        "pg-no-database-it",
        "il database \"{database}\" non esiste",
        "session/database-missing",
    )
    .lang("it")
    .eg("il database \"sailings\" non esiste")
    .not("spiacente, troppi client già connessi"),
    stop(
        "pg-full-it",
        "spiacente, troppi client già connessi",
        "listener/full",
    )
    .lang("it")
    .eg("spiacente, troppi client già connessi")
    .not("il database si sta avviando"),
    stop(
        "pg-starting-it",
        "il database si sta avviando",
        "listener/not-ready",
    )
    .lang("it")
    .sig(&[("state-words", "starting")])
    .eg("il database si sta avviando")
    .not("il database si sta spegnendo"),
    stop(
        "pg-stopping-it",
        "il database si sta spegnendo",
        "listener/not-ready",
    )
    .lang("it")
    .sig(&[("state-words", "stopping")])
    .eg("il database si sta spegnendo")
    .not("troppe connessioni per il ruolo \"purser\""),
    stop(
        "pg-role-limit-it",
        "troppe connessioni per il ruolo \"{user}\"",
        "login/limit",
    )
    .lang("it")
    .eg("troppe connessioni per il ruolo \"purser\"")
    .not("permesso negato per il database \"sailings\""),
    stop(
        "pg-database-denied-it",
        "permesso negato per il database \"{database}\"",
        "session/database-not-permitted",
    )
    .lang("it")
    .eg("permesso negato per il database \"sailings\"")
    .not("il server ha chiuso la connessione inaspettatamente"),
    stop(
        "pg-closed-it",
        "il server ha chiuso la connessione inaspettatamente",
        "listener/closed",
    )
    .lang("it")
    .eg("il server ha chiuso la connessione inaspettatamente")
    .not("il server non supporta SSL, ma SSL è stato richiesto"),
    stop(
        "pg-no-tls-it",
        "il server non supporta SSL, ma SSL è stato richiesto",
        "tls/not-offered",
    )
    .lang("it")
    .eg("il server non supporta SSL, ma SSL è stato richiesto")
    .not("conversione del nome host \"quay.osmary.example\" in indirizzo fallita:"),
    stop(
        "pg-name-it",
        "conversione del nome host \"{host}\" in indirizzo fallita",
        "name/not-found",
    )
    .lang("it")
    .weak()
    .eg("conversione del nome host \"quay.osmary.example\" in indirizzo fallita:")
    .not("autenticazione con password fallita per l'utente \"purser\""),
    stop(
        "pg-password-ja",
        "ユーザー\"{user}\"のパスワード認証に失敗しました",
        "login/credentials-refused",
    )
    .lang("ja")
    .eg("ユーザー\"purser\"のパスワード認証に失敗しました")
    .not("ロール\"purser\"は存在しません"),
    stop(
        "pg-no-role-ja",
        "ロール\"{user}\"は存在しません",
        "login/identity-refused",
    )
    .lang("ja")
    .sig(&[("role-words", "no-such-role")])
    .eg("ロール\"purser\"は存在しません")
    .not("ロール\"purser\"はログインが許可されません"),
    stop(
        "pg-no-login-ja",
        "ロール\"{user}\"はログインが許可されません",
        "login/identity-refused",
    )
    .lang("ja")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("ロール\"purser\"はログインが許可されません")
    .not("データベース\"sailings\"は存在しません"),
    stop(
        "pg-no-database-ja",
        "データベース\"{database}\"は存在しません",
        "session/database-missing",
    )
    .lang("ja")
    .eg("データベース\"sailings\"は存在しません")
    .not("現在クライアント数が多すぎます"),
    stop(
        "pg-full-ja",
        "現在クライアント数が多すぎます",
        "listener/full",
    )
    .lang("ja")
    .eg("現在クライアント数が多すぎます")
    .not("データベースシステムは起動処理中です"),
    stop(
        "pg-starting-ja",
        "データベースシステムは起動処理中です",
        "listener/not-ready",
    )
    .lang("ja")
    .sig(&[("state-words", "starting")])
    .eg("データベースシステムは起動処理中です")
    .not("データベースシステムはシャットダウンしています"),
    stop(
        "pg-stopping-ja",
        "データベースシステムはシャットダウンしています",
        "listener/not-ready",
    )
    .lang("ja")
    .sig(&[("state-words", "stopping")])
    .eg("データベースシステムはシャットダウンしています")
    .not("ロール\"purser\"からの接続が多すぎます"),
    stop(
        "pg-role-limit-ja",
        "ロール\"{user}\"からの接続が多すぎます",
        "login/limit",
    )
    .lang("ja")
    .eg("ロール\"purser\"からの接続が多すぎます")
    .not("データベース\"sailings\"へのアクセスが拒否されました"),
    stop(
        "pg-database-denied-ja",
        "データベース\"{database}\"へのアクセスが拒否されました",
        "session/database-not-permitted",
    )
    .lang("ja")
    .eg("データベース\"sailings\"へのアクセスが拒否されました")
    .not("サーバーとの接続が想定外にクローズされました"),
    stop(
        "pg-closed-ja",
        "サーバーとの接続が想定外にクローズされました",
        "listener/closed",
    )
    .lang("ja")
    .eg("サーバーとの接続が想定外にクローズされました")
    .not("サーバーはSSLをサポートしていませんが、SSLが要求されました"),
    stop(
        "pg-no-tls-ja",
        "サーバーはSSLをサポートしていませんが、SSLが要求されました",
        "tls/not-offered",
    )
    .lang("ja")
    .eg("サーバーはSSLをサポートしていませんが、SSLが要求されました")
    .not("ホスト名\"quay.osmary.example\"をアドレスに変換できませんでした:"),
    stop(
        "pg-name-ja",
        "ホスト名\"{host}\"をアドレスに変換できませんでした",
        "name/not-found",
    )
    .lang("ja")
    .weak()
    .eg("ホスト名\"quay.osmary.example\"をアドレスに変換できませんでした:")
    .not("ユーザー\"purser\"のパスワード認証に失敗しました"),
    stop(
        "pg-password-ko",
        "사용자 \"{user}\"의 password 인증을 실패했습니다",
        "login/credentials-refused",
    )
    .lang("ko")
    .eg("사용자 \"purser\"의 password 인증을 실패했습니다")
    .not("\"purser\" 롤(role) 없음"),
    stop(
        "pg-no-role-ko",
        "\"{user}\" 롤(role) 없음",
        "login/identity-refused",
    )
    .lang("ko")
    .sig(&[("role-words", "no-such-role")])
    .eg("\"purser\" 롤(role) 없음")
    .not("\"purser\" 롤은 접속을 허용하지 않음"),
    stop(
        "pg-no-login-ko",
        "\"{user}\" 롤은 접속을 허용하지 않음",
        "login/identity-refused",
    )
    .lang("ko")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("\"purser\" 롤은 접속을 허용하지 않음")
    .not("\"sailings\" 데이터베이스 없음"),
    stop(
        "pg-no-database-ko",
        "\"{database}\" 데이터베이스 없음",
        "session/database-missing",
    )
    .lang("ko")
    .eg("\"sailings\" 데이터베이스 없음")
    .not("최대 동시 접속자 수를 초과했습니다."),
    stop(
        "pg-full-ko",
        "최대 동시 접속자 수를 초과했습니다.",
        "listener/full",
    )
    .lang("ko")
    .eg("최대 동시 접속자 수를 초과했습니다.")
    .not("데이터베이스 시스템이 새로 가동 중입니다."),
    stop(
        "pg-starting-ko",
        "데이터베이스 시스템이 새로 가동 중입니다.",
        "listener/not-ready",
    )
    .lang("ko")
    .sig(&[("state-words", "starting")])
    .eg("데이터베이스 시스템이 새로 가동 중입니다.")
    .not("데이터베이스 시스템이 중지 중입니다"),
    stop(
        "pg-stopping-ko",
        "데이터베이스 시스템이 중지 중입니다",
        "listener/not-ready",
    )
    .lang("ko")
    .sig(&[("state-words", "stopping")])
    .eg("데이터베이스 시스템이 중지 중입니다")
    .not("\"purser\" 롤의 최대 동시 접속수를 초과했습니다"),
    stop(
        "pg-role-limit-ko",
        "\"{user}\" 롤의 최대 동시 접속수를 초과했습니다",
        "login/limit",
    )
    .lang("ko")
    .eg("\"purser\" 롤의 최대 동시 접속수를 초과했습니다")
    .not("\"sailings\" 데이터베이스 액세스 권한 없음"),
    stop(
        "pg-database-denied-ko",
        "\"{database}\" 데이터베이스 액세스 권한 없음",
        "session/database-not-permitted",
    )
    .lang("ko")
    .eg("\"sailings\" 데이터베이스 액세스 권한 없음")
    .not("서버가 갑자기 연결을 닫았음"),
    stop(
        "pg-closed-ko",
        "서버가 갑자기 연결을 닫았음",
        "listener/closed",
    )
    .lang("ko")
    .eg("서버가 갑자기 연결을 닫았음")
    .not("서버가 SSL 기능을 지원하지 않는데, SSL 기능을 요구했음"),
    stop(
        "pg-no-tls-ko",
        "서버가 SSL 기능을 지원하지 않는데, SSL 기능을 요구했음",
        "tls/not-offered",
    )
    .lang("ko")
    .eg("서버가 SSL 기능을 지원하지 않는데, SSL 기능을 요구했음")
    .not("\"quay.osmary.example\" 호스트 이름을 전송할 수 없습니다: 대상 주소:"),
    stop(
        "pg-name-ko",
        "\"{host}\" 호스트 이름을 전송할 수 없습니다: 대상 주소",
        "name/not-found",
    )
    .lang("ko")
    .weak()
    .eg("\"quay.osmary.example\" 호스트 이름을 전송할 수 없습니다: 대상 주소:")
    .not("사용자 \"purser\"의 password 인증을 실패했습니다"),
    stop(
        "pg-password-ru",
        "пользователь \"{user}\" не прошёл проверку подлинности (по паролю)",
        "login/credentials-refused",
    )
    .lang("ru")
    .eg("пользователь \"purser\" не прошёл проверку подлинности (по паролю)")
    .not("роль \"purser\" не существует"),
    stop(
        "pg-no-role-ru",
        "роль \"{user}\" не существует",
        "login/identity-refused",
    )
    .lang("ru")
    .sig(&[("role-words", "no-such-role")])
    .eg("роль \"purser\" не существует")
    .not("для роли \"purser\" вход запрещён"),
    stop(
        "pg-no-login-ru",
        "для роли \"{user}\" вход запрещён",
        "login/identity-refused",
    )
    .lang("ru")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("для роли \"purser\" вход запрещён")
    .not("база данных \"sailings\" не существует"),
    stop(
        "pg-no-database-ru",
        "база данных \"{database}\" не существует",
        "session/database-missing",
    )
    .lang("ru")
    .eg("база данных \"sailings\" не существует")
    .not("извините, уже слишком много клиентов"),
    stop(
        "pg-full-ru",
        "извините, уже слишком много клиентов",
        "listener/full",
    )
    .lang("ru")
    .eg("извините, уже слишком много клиентов")
    .not("система баз данных запускается"),
    stop(
        "pg-starting-ru",
        "система баз данных запускается",
        "listener/not-ready",
    )
    .lang("ru")
    .sig(&[("state-words", "starting")])
    .eg("система баз данных запускается")
    .not("система баз данных останавливается"),
    stop(
        "pg-stopping-ru",
        "система баз данных останавливается",
        "listener/not-ready",
    )
    .lang("ru")
    .sig(&[("state-words", "stopping")])
    .eg("система баз данных останавливается")
    .not("слишком много подключений для роли \"purser\""),
    stop(
        "pg-role-limit-ru",
        "слишком много подключений для роли \"{user}\"",
        "login/limit",
    )
    .lang("ru")
    .eg("слишком много подключений для роли \"purser\"")
    .not("доступ к базе \"sailings\" запрещён"),
    stop(
        "pg-database-denied-ru",
        "доступ к базе \"{database}\" запрещён",
        "session/database-not-permitted",
    )
    .lang("ru")
    .eg("доступ к базе \"sailings\" запрещён")
    .not("сервер неожиданно закрыл соединение"),
    stop(
        "pg-closed-ru",
        "сервер неожиданно закрыл соединение",
        "listener/closed",
    )
    .lang("ru")
    .eg("сервер неожиданно закрыл соединение")
    .not("затребовано подключение через SSL, но сервер не поддерживает SSL"),
    stop(
        "pg-no-tls-ru",
        "затребовано подключение через SSL, но сервер не поддерживает SSL",
        "tls/not-offered",
    )
    .lang("ru")
    .eg("затребовано подключение через SSL, но сервер не поддерживает SSL")
    .not("преобразовать имя \"quay.osmary.example\" в адрес не удалось:"),
    stop(
        "pg-name-ru",
        "преобразовать имя \"{host}\" в адрес не удалось",
        "name/not-found",
    )
    .lang("ru")
    .weak()
    .eg("преобразовать имя \"quay.osmary.example\" в адрес не удалось:")
    .not("пользователь \"purser\" не прошёл проверку подлинности (по паролю)"),
    stop(
        "pg-password-sv",
        "Lösenordsautentisering misslyckades för användare \"{user}\"",
        "login/credentials-refused",
    )
    .lang("sv")
    .eg("Lösenordsautentisering misslyckades för användare \"purser\"")
    .not("rollen \"purser\" finns inte"),
    stop(
        "pg-no-role-sv",
        "rollen \"{user}\" finns inte",
        "login/identity-refused",
    )
    .lang("sv")
    .sig(&[("role-words", "no-such-role")])
    .eg("rollen \"purser\" finns inte")
    .not("roll \"purser\" tillåts inte logga in"),
    stop(
        "pg-no-login-sv",
        "roll \"{user}\" tillåts inte logga in",
        "login/identity-refused",
    )
    .lang("sv")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("roll \"purser\" tillåts inte logga in")
    .not("databasen \"sailings\" existerar inte"),
    stop(
        "pg-no-database-sv",
        "databasen \"{database}\" existerar inte",
        "session/database-missing",
    )
    .lang("sv")
    .eg("databasen \"sailings\" existerar inte")
    .not("ledsen, för många klienter"),
    stop("pg-full-sv", "ledsen, för många klienter", "listener/full")
        .lang("sv")
        .eg("ledsen, för många klienter")
        .not("databassystemet startar upp"),
    stop(
        "pg-starting-sv",
        "databassystemet startar upp",
        "listener/not-ready",
    )
    .lang("sv")
    .sig(&[("state-words", "starting")])
    .eg("databassystemet startar upp")
    .not("databassystemet stänger ner"),
    stop(
        "pg-stopping-sv",
        "databassystemet stänger ner",
        "listener/not-ready",
    )
    .lang("sv")
    .sig(&[("state-words", "stopping")])
    .eg("databassystemet stänger ner")
    .not("för många uppkopplingar för roll \"purser\""),
    stop(
        "pg-role-limit-sv",
        "för många uppkopplingar för roll \"{user}\"",
        "login/limit",
    )
    .lang("sv")
    .eg("för många uppkopplingar för roll \"purser\"")
    .not("rättighet saknas för databas \"sailings\""),
    stop(
        "pg-database-denied-sv",
        "rättighet saknas för databas \"{database}\"",
        "session/database-not-permitted",
    )
    .lang("sv")
    .eg("rättighet saknas för databas \"sailings\"")
    .not("servern stängde oväntat ner uppkopplingen"),
    stop(
        "pg-closed-sv",
        "servern stängde oväntat ner uppkopplingen",
        "listener/closed",
    )
    .lang("sv")
    .eg("servern stängde oväntat ner uppkopplingen")
    .not("SSL stöds inte av servern, men SSL krävdes"),
    stop(
        "pg-no-tls-sv",
        "SSL stöds inte av servern, men SSL krävdes",
        "tls/not-offered",
    )
    .lang("sv")
    .eg("SSL stöds inte av servern, men SSL krävdes")
    .not("kunde inte översätta värdnamn \"quay.osmary.example\" till adress:"),
    stop(
        "pg-name-sv",
        "kunde inte översätta värdnamn \"{host}\" till adress",
        "name/not-found",
    )
    .lang("sv")
    .weak()
    .eg("kunde inte översätta värdnamn \"quay.osmary.example\" till adress:")
    .not("Lösenordsautentisering misslyckades för användare \"purser\""),
    stop(
        "pg-password-uk",
        "користувач \"{user}\" не пройшов автентифікацію за допомогою пароля",
        "login/credentials-refused",
    )
    .lang("uk")
    .eg("користувач \"purser\" не пройшов автентифікацію за допомогою пароля")
    .not("роль \"purser\" не існує"),
    stop(
        "pg-no-role-uk",
        "роль \"{user}\" не існує",
        "login/identity-refused",
    )
    .lang("uk")
    .sig(&[("role-words", "no-such-role")])
    .eg("роль \"purser\" не існує")
    .not("для ролі \"purser\" вхід не дозволений"),
    stop(
        "pg-no-login-uk",
        "для ролі \"{user}\" вхід не дозволений",
        "login/identity-refused",
    )
    .lang("uk")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("для ролі \"purser\" вхід не дозволений")
    .not("бази даних \"sailings\" не існує"),
    stop(
        "pg-no-database-uk",
        "бази даних \"{database}\" не існує",
        "session/database-missing",
    )
    .lang("uk")
    .eg("бази даних \"sailings\" не існує")
    .not("вибачте, вже забагато клієнтів"),
    stop(
        "pg-full-uk",
        "вибачте, вже забагато клієнтів",
        "listener/full",
    )
    .lang("uk")
    .eg("вибачте, вже забагато клієнтів")
    .not("система бази даних запускається"),
    stop(
        "pg-starting-uk",
        "система бази даних запускається",
        "listener/not-ready",
    )
    .lang("uk")
    .sig(&[("state-words", "starting")])
    .eg("система бази даних запускається")
    .not("система бази даних завершує роботу"),
    stop(
        "pg-stopping-uk",
        "система бази даних завершує роботу",
        "listener/not-ready",
    )
    .lang("uk")
    .sig(&[("state-words", "stopping")])
    .eg("система бази даних завершує роботу")
    .not("занадто багато підключень для ролі \"purser\""),
    stop(
        "pg-role-limit-uk",
        "занадто багато підключень для ролі \"{user}\"",
        "login/limit",
    )
    .lang("uk")
    .eg("занадто багато підключень для ролі \"purser\"")
    .not("доступ до бази даних \"sailings\" відхилений"),
    stop(
        "pg-database-denied-uk",
        "доступ до бази даних \"{database}\" відхилений",
        "session/database-not-permitted",
    )
    .lang("uk")
    .eg("доступ до бази даних \"sailings\" відхилений")
    .not("сервер неочікувано закрив підключення"),
    stop(
        "pg-closed-uk",
        "сервер неочікувано закрив підключення",
        "listener/closed",
    )
    .lang("uk")
    .eg("сервер неочікувано закрив підключення")
    .not("сервер не підтримує протокол SSL, але протокол SSL вимагається"),
    stop(
        "pg-no-tls-uk",
        "сервер не підтримує протокол SSL, але протокол SSL вимагається",
        "tls/not-offered",
    )
    .lang("uk")
    .eg("сервер не підтримує протокол SSL, але протокол SSL вимагається")
    .not("не вдалося перекласти ім’я хоста \"quay.osmary.example\" в адресу:"),
    stop(
        "pg-name-uk",
        "не вдалося перекласти ім'я хоста \"{host}\" в адресу",
        "name/not-found",
    )
    .lang("uk")
    .weak()
    .eg("не вдалося перекласти ім’я хоста \"quay.osmary.example\" в адресу:")
    .not("користувач \"purser\" не пройшов автентифікацію за допомогою пароля"),
    stop(
        "pg-password-zh-cn",
        "用户 \"{user}\" Password 认证失败",
        "login/credentials-refused",
    )
    .lang("zh-CN")
    .eg("用户 \"purser\" Password 认证失败")
    .not("角色 \"purser\" 不存在"),
    stop(
        "pg-no-role-zh-cn",
        "角色 \"{user}\" 不存在",
        "login/identity-refused",
    )
    .lang("zh-CN")
    .sig(&[("role-words", "no-such-role")])
    .eg("角色 \"purser\" 不存在")
    .not("不允许角色\"purser\" 进行登录"),
    stop(
        "pg-no-login-zh-cn",
        "不允许角色\"{user}\" 进行登录",
        "login/identity-refused",
    )
    .lang("zh-CN")
    .sig(&[("role-words", "may-not-sign-in")])
    .eg("不允许角色\"purser\" 进行登录")
    .not("数据库 \"sailings\" 不存在"),
    stop(
        "pg-no-database-zh-cn",
        "数据库 \"{database}\" 不存在",
        "session/database-missing",
    )
    .lang("zh-CN")
    .eg("数据库 \"sailings\" 不存在")
    .not("对不起, 已经有太多的客户"),
    stop("pg-full-zh-cn", "对不起, 已经有太多的客户", "listener/full")
        .lang("zh-CN")
        .eg("对不起, 已经有太多的客户")
        .not("数据库系统启动中"),
    stop(
        "pg-starting-zh-cn",
        "数据库系统启动中",
        "listener/not-ready",
    )
    .lang("zh-CN")
    .sig(&[("state-words", "starting")])
    .eg("数据库系统启动中")
    .not("数据库系统停止中"),
    stop(
        "pg-stopping-zh-cn",
        "数据库系统停止中",
        "listener/not-ready",
    )
    .lang("zh-CN")
    .sig(&[("state-words", "stopping")])
    .eg("数据库系统停止中")
    .not("由角色\"purser\"发起的连接太多了"),
    stop(
        "pg-role-limit-zh-cn",
        "由角色\"{user}\"发起的连接太多了",
        "login/limit",
    )
    .lang("zh-CN")
    .eg("由角色\"purser\"发起的连接太多了")
    .not("访问数据库\"sailings\"的权限不够"),
    stop(
        "pg-database-denied-zh-cn",
        "访问数据库\"{database}\"的权限不够",
        "session/database-not-permitted",
    )
    .lang("zh-CN")
    .eg("访问数据库\"sailings\"的权限不够")
    .not("服务器意外地关闭了联接"),
    stop(
        "pg-closed-zh-cn",
        "服务器意外地关闭了联接",
        "listener/closed",
    )
    .lang("zh-CN")
    .eg("服务器意外地关闭了联接")
    .not("服务器不支持 SSL, 但是要求使用 SSL"),
    stop(
        "pg-no-tls-zh-cn",
        "服务器不支持 SSL, 但是要求使用 SSL",
        "tls/not-offered",
    )
    .lang("zh-CN")
    .eg("服务器不支持 SSL, 但是要求使用 SSL")
    .not("无法解释主机名 \"quay.osmary.example\" 到地址:"),
    stop(
        "pg-name-zh-cn",
        "无法解释主机名 \"{host}\" 到地址",
        "name/not-found",
    )
    .lang("zh-CN")
    .weak()
    .eg("无法解释主机名 \"quay.osmary.example\" 到地址:")
    .not("用户 \"purser\" Password 认证失败"),
];
