/**
 * Whether somebody asks not to be written to any more, in their own words: a text or a mail that says nothing else. Words of five
 * languages; what only holds such a word ("stop by on Friday") is an answer. Where it stands on an edge it errs towards stopping:
 * a text too few is a smaller harm than one that was refused. Its table of cases: stop.test.ts.
 */
import { answerForm } from './answer.ts';

/** Longer than this it says something else as well, characters. */
const MOST = 600;

/** Lines that programs put below what somebody wrote. */
const BELOW =
  /^\s*(?:-{2,}\s*$|_{5,}|sent (?:from|via|with) |get outlook |gesendet (?:von|mit) |von meinem .{1,40} gesendet|envoy[ée] (?:de|depuis|avec|à partir) |t[ée]l[ée]charge[rz] outlook |enviado (?:desde|con|de) |obtener outlook |seolta [óo]m? |>)/i;
/** What closes a letter; behind it stands a name. */
const CLOSING =
  /^(?:thanks|thank you|many thanks|thx|cheers|(?:best|kind|warm|many)? ?regards|best wishes|best|sincerely|yours|mfg|lg|vg|danke|vielen dank|(?:mit )?(?:freundlichen?|vielen?|besten?|liebe)? ?(?:grussen?|gruessen?|gruss|gruesse)|(?:bien )?cordialement|merci|salutations|bonne journee|saludos|gracias|un saludo|atentamente|le meas|go raibh maith (?:agat|agaibh))$/;

/** Words around it that change nothing. */
const AROUND = [
  'please|pls|plz|kindly|just|ok|okay|hi|hello|hey|hi there|thanks|thank you|many thanks|thx|ty|now|sorry|sir|madam|folks|guys',
  'bitte|danke|vielen dank|jetzt|sofort|hallo|guten tag|moin|mal',
  'merci|svp|stp|sil vous plait|sil te plait|bonjour|maintenant|madame monsieur',
  'por favor|gracias|hola|ahora|ya|buenos dias',
  'le do thoil|le bhur dtoil|mas e do thoil e|go raibh maith agat|anois|dia duit'
].join('|');
const BEFORE = new RegExp(`^(?:${AROUND}) (?=.)`);
const BEHIND = new RegExp(`(?<=.) (?:${AROUND})$`);

const words = (all: string): string => `(?: (?:${all.trim().replace(/\s+/g, '|')}))*`;
const EN = words(`me us all it this that these those them everything any more further your the from to of off my
  text texts texting message messages messaging msg msgs mail mails mailing mailings email emails emailing sms newsletter newsletters
  writing sending contacting bothering spamming spam list lists number phone address subscription subscriptions contact here again
  anymore immediately already you at once today`);
const EN_NOUN = '(?:text messages?|texts?|messages?|msgs?|e ?mails?|mails?|sms|newsletters?|mailings?|spam)';
const EN_AFTER = words('from you any more anymore again ever at all to me this number');
const DE =
  words(`mich uns alles alle den die das dem der ihren ihrem ihre eure euren eurem diesen diesem von vom aus newsletter
  verteiler liste sms mail mails nachrichten sie damit mit werbung hier`).replace('mails|', 'mails|e mails?|');
const DE_NOUN = '(?:sms|mails?|e ?mails?|nachrichten|newsletter|texte|werbung|werbemails?|post)';
const FR =
  words(`moi nous tout tous ca cela les ces vos des de la le votre cette liste sms texto textos message messages mail mails
  email emails courriel courriels envoi envois newsletter newsletters immediatement menvoyer mecrire publicite publicites pub a`);
const FR_NOUN = '(?:sms|textos?|messages?|mails?|e ?mails?|courriels?|newsletters?|publicites?|pub|rien)';
const ES =
  words(`todo todos esto los las de del la el su sus mi mensaje mensajes sms correo correos email emails mail mails lista
  listas suscripcion boletin newsletter envio envios numero servicio`);
const ES_NOUN = '(?:mensajes?|sms|correos?|e ?mails?|mails?|textos?|publicidad|boletines|nada)';
const GA = words(`na den an leis teachtaireachtai teacsanna riomhphoist liosta me mo do de a sheoladh chugam uile`);
const GA_NOUN = '(?:teachtaireachtai|teacsanna|riomhphoist)';

/** Held against the whole of it: lower case, without accents, punctuation and courtesies. */
const ASKS = [
  // English
  `(?:i (?:want|would like|wish|need) (?:you )?to |id like to |(?:can|could|will|would) (?:you|i) |how (?:do i|can i|to) |let me )?(?:please )?(?:stop|stopall|stop2\\w+|unsubscribe|unsubscribed|unsub|opt(?: me)? out|optout)${EN}`,
  `(?:end|quit|cancel)(?: (?:all|my|the|your|this|these|text|texts|messages?|emails?|mails?|sms|newsletters?|subscriptions?|mailings?))*`,
  `(?:(?:i (?:want|would like|wish) to be |id like to be )?removed?|revoke)(?: (?:me|my (?:number|address|e ?mail|email address|name|phone|phone number|details|data)))?${EN}`,
  `delete (?:me|my (?:number|address|e ?mail|email address|name|phone|phone number|details|data))${EN}`,
  `take me off(?: of)?(?: (?:your|the|this|that|all|any|mailing|email|text|sms|lists?))*`,
  `no more(?: of)?(?: (?:these|this|your))* ${EN_NOUN}${EN_AFTER}`,
  `(?:do not|dont|never|stop) (?:text|message|msg|e ?mail|mail|contact|write|write to|send|sms|call|bother|spam)${words('me us to any more anymore again ever text texts messages emails mails sms this these stuff number on here please')}`,
  `(?:i )?(?:do not|dont|no longer) (?:want|wish|need)(?: to (?:get|receive))?(?: (?:any|more|your|these|this|further|such))* ${EN_NOUN}${EN_AFTER}`,
  `(?:i )?(?:do not|dont|no longer) (?:want|wish) to hear from you${EN_AFTER}`,
  'leave me alone',
  // German
  `(?:stopp?|stoppen|abmelden|abmeldung|abbestellen|abbestellung|austragen|austragung|kundigen|kuendigen|aufhoren|aufhoeren|schluss|sms stopp?)${DE}`,
  `(?:newsletter|sms|mails?|e ?mails?|werbung|nachrichten) (?:stopp?|stoppen|abmelden|abbestellen|kundigen|kuendigen)`,
  `(?:horen|hoeren|hort|hor) (?:sie )?(?:damit |bitte )*auf`,
  `ich (?:mochte|moechte|will|wunsche|wuensche|wurde|wuerde)(?: (?:mich|vom|von|aus|den|dem|der|die|das|ihrem|ihren|eurem|diesem|diesen|newsletter|verteiler|liste|sms|hier|gerne?|bitte))* (?:abmelden|austragen|abbestellen|kundigen|kuendigen|stoppen)(?: lassen)?`,
  `(?:melden? sie|melde|meldet) (?:mich|uns)(?: (?:vom|von|aus|den|dem|der|ihrem|newsletter|verteiler|liste|bitte))* ab`,
  `(?:tragen? sie|trage|trag|tragt) (?:mich|uns)(?: (?:vom|von|aus|den|dem|der|ihrem|newsletter|verteiler|liste|bitte))* aus`,
  `(?:loschen?|loeschen?|loscht|streichen?|streicht|entfernen?|entfernt|nehmen?|nehmt|nimm)(?: sie)? (?:mich|meine (?:nummer|adresse|daten|e ?mail|mailadresse|e mail adresse))(?: (?:bitte|aus|von|vom|dem|den|der|ihrem|ihren|eurem|ihrer|eurer|verteiler|liste|mailliste|datenbank))*`,
  `(?:ich (?:mochte|moechte|will|wunsche|wuensche) )?keine?n?(?: (?:weiteren?|solchen?|mehr))? ${DE_NOUN}(?: (?:mehr|von|ihnen|euch|an|mich|senden|schicken|bekommen|erhalten|haben))*`,
  `(?:schreiben sie|schreibt|schreib|schicken sie|schickt|schick|senden sie|sendet) mir(?: bitte)? (?:nichts? mehr|keine?n? (?:weiteren? )?${DE_NOUN}(?: mehr)?)`,
  `nichts? mehr (?:schreiben|schicken|senden|texten|kontaktieren|anschreiben)`,
  `(?:lass|lasst|lassen sie) mich in ruhe`,
  // French
  `(?:stop|arret|arreter|arretez|arrete|desabonner|desabonnement|desabonnez|desinscription|desinscrire|desinscrivez|resilier|resiliation)${FR}`,
  `(?:je (?:veux|voudrais|souhaite|desire) )?(?:me |mon )(?:desabonner|desinscrire|desabonnement)(?: (?:de|du|a|la|votre|vos|cette|liste|newsletter|sms|messages|envois))*`,
  `(?:retirez|enlevez|supprimez|effacez|rayez|otez|retire|enleve|supprime)(?: moi| mon (?:numero|adresse|nom)| mes donnees)(?: (?:de|la|votre|cette|liste|diffusion|fichier|vos|listes|base|envoi))*`,
  `(?:ne )?(?:menvoyez|mecrivez|me contactez|me derangez|menvoie|mecris|me contacte) plus(?: (?:de|rien|aucun))*(?: ${FR_NOUN})?`,
  `plus (?:de|aucune?) ${FR_NOUN}(?: (?:de|votre|part))*`,
  `(?:je )?ne (?:veux|souhaite|desire) plus (?:rien )?(?:recevoir)?(?: (?:de|vos|aucune?|ces|des))* ?${FR_NOUN}?(?: de votre part)?`,
  'laissez moi tranquille',
  // Spanish
  `(?:stop|alto|baja|parar|pare|paren|basta|cancelar|desuscribir|desuscribirme|desuscripcion|desuscribanme|salir)${ES}`,
  'para(?: ya)?',
  `(?:quiero |quisiera |deseo |me gustaria |solicito )?(?:dar(?:me)?|dame|denme|deme|la) (?:de )?(?:la )?baja(?: (?:de|del|la|su|lista|listas|boletin|newsletter|servicio|sms|mensajes|correos?))*`,
  `(?:eliminen?me|eliminame|borren?me|borrame|quiten?me|quitame|saquen?me|sacame|retiren?me|retirame|borrarme|eliminarme|quitarme)(?: (?:de|del|la|su|sus|esta|lista|listas|base|datos|boletin))*`,
  `no mas ${ES_NOUN}`,
  `no (?:quiero|deseo)(?: recibir)?(?: (?:mas|sus|estos|ningun))* ${ES_NOUN}(?: (?:suyos|de|ustedes|mas))*`,
  `no me (?:escriban?|escribas|envien?|envies|manden?|mandes|contacten?|contactes|molesten?|molestes)(?: (?:mas|nunca))*(?: ${ES_NOUN})?(?: mas)?`,
  `(?:deja|deje|dejen) de (?:escribirme|enviarme|mandarme|molestarme|molestar|contactarme|escribir)(?: (?:mas))?(?: ${ES_NOUN})?`,
  '(?:dejame|dejeme|dejenme) en paz',
  // Irish
  `(?:stad|stadaigi|stadaig|diliostail|di liostail)${GA}`,
  `bain (?:me|mo uimhir|muimhir|mainm)(?: (?:den|de|as|o|on|an|do|bhur|liosta))*`,
  `na (?:seol|cuir|scriobh)(?: (?:nios mo|tuilleadh|aon|chugam|aris|de|eile|a thuilleadh))*(?: ${GA_NOUN})?(?: (?:chugam|eile|aris))*`,
  `(?:gan|ni theastaionn)(?: (?:a thuilleadh|tuilleadh|nios mo))* ${GA_NOUN}(?: (?:eile|uaim))*`,
  `nil (?:me ag iarraidh|uaim)(?: (?:nios mo|tuilleadh|aon|a thuilleadh))* ${GA_NOUN}(?: (?:eile|uait))*`
].map((all) => new RegExp(`^(?:${all})$`));

/** One form for all ways to write it: "S.T.O.P", "Stop stop stop", "STOP 1", "🛑" are "stop"; accents are dropped. */
function formOf(text: string): string {
  let form = answerForm(text)
    .normalize('NFD')
    .replace(/\p{M}+/gu, '')
    .replace(/[🛑⛔]/gu, ' stop ')
    .replace(/ß/g, 'ss')
    .replace(/\s+/g, ' ')
    .trim()
    .replace(/(?<!\S)(?:[a-z] ){2,}[a-z](?!\S)/g, (letters) => letters.replace(/ /g, ''));
  for (let before = ''; before !== form;) {
    before = form;
    form = form
      .replace(BEFORE, '')
      .replace(BEHIND, '')
      .replace(/ \d{1,4}$/, '')
      .replace(/(?<!\S)(\S+(?: \S+){0,2})(?: \1)+(?!\S)/g, '$1');
  }
  return form;
}

const asks = (text: string): boolean => {
  const form = formOf(text);
  return form !== '' && ASKS.some((pattern) => pattern.test(form));
};

/** What somebody wrote, without what programs put below it and without a name behind a closing. */
function own(text: string): string {
  const lines: string[] = [];
  for (const line of text.trimStart().split(/\r\n?|\n/)) {
    if (BELOW.test(line) || (lines.length && CLOSING.test(formOf(line) || answerForm(line)))) break;
    lines.push(line);
  }
  return lines.join('\n').trim();
}

/** Whether a text or mail asks to stop: as a whole, by its first paragraph, or by a first sentence that is nothing else. */
export function asksToStop(text: string): boolean {
  const said = own(text.slice(0, 2 * MOST));
  if (said === '' || said.length > MOST) return false;
  const paragraph = said.split(/\n\s*\n/)[0] ?? '';
  const sentence = /^(.{2,120}?)[.!](?=\s+\p{Lu})/su.exec(paragraph)?.[1] ?? '';
  return asks(said) || asks(paragraph) || (sentence !== '' && asks(sentence));
}
